import type { TaskHeard, TaskNews } from '#contract/report'
import type { Identity } from '../identity/identity'
import { call, RefusedError, type Way } from '../uplink'

/** Tells how work goes, patiently: a server that is being restarted is back within seconds. */
export async function tell(identity: Way & Pick<Identity, 'deviceKey'>, taskId: number, news: TaskNews): Promise<void> {
  for (let attempt = 1; ; attempt++) {
    try {
      await call<TaskHeard>(identity, 'POST', `/api/agent/tasks/${taskId}`, news, identity.deviceKey)
      return
    } catch (error) {
      if (attempt === 5 || (error instanceof RefusedError && error.status === 404)) throw error
      await new Promise((resolve) => setTimeout(resolve, attempt * 1000))
    }
  }
}
