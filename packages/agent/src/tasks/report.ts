import type { TaskReceipt, TaskProgress } from '#contract/report'
import type { Identity } from '../identity/identity'
import { call, RefusedError, type Way } from '../uplink'

/** Tells how work goes, patiently: a server that is being restarted is back within seconds. */
export async function report(
  identity: Way & Pick<Identity, 'deviceKey'>,
  taskId: number,
  progress: TaskProgress,
): Promise<void> {
  for (let attempt = 1; ; attempt++) {
    try {
      await call<TaskReceipt>(identity, 'POST', `/api/agent/tasks/${taskId}`, progress, identity.deviceKey)
      return
    } catch (error) {
      if (attempt === 5 || (error instanceof RefusedError && error.status === 404)) throw error
      await new Promise((resolve) => setTimeout(resolve, attempt * 1000))
    }
  }
}
