import type { TaskProgress } from '#contract'
import type { DeviceId, Millis } from '#core'
import type { Db } from '../../db'
import { recordService } from '../../engine'
import { ProblemError } from '../../http/problems'
import { recordSweep } from '../rollout/sweeps/sweeps'
import { recordUpdate } from '../rollout/updates/updateRun'
import { recordDeploy } from '../rollout/waves/waveRun'

/**
 * What an agent tells of its work.
 * @throws ProblemError not-found when there is no such work for this device, or it is over
 */
export async function recordProgress(
  tx: Db,
  deviceId: DeviceId,
  taskId: number,
  progress: TaskProgress,
  now: Millis,
): Promise<void> {
  if ('sweep' in progress) return recordSweep(tx, deviceId, taskId, progress.sweep)
  const record = () => {
    if ('deploy' in progress) return recordDeploy(tx, deviceId, taskId, progress.deploy)
    if ('update' in progress) return recordUpdate(tx, deviceId, taskId, progress.update)
    return recordService(tx, deviceId, taskId, progress.service, now)
  }
  if (!(await record())) throw new ProblemError('no-such-task')
}
