import type { TaskNews } from '#contract'
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
export async function recordNews(
  tx: Db,
  deviceId: DeviceId,
  taskId: number,
  news: TaskNews,
  now: Millis,
): Promise<void> {
  if ('sweep' in news) return recordSweep(tx, deviceId, taskId, news.sweep)
  const heard =
    'deploy' in news
      ? await recordDeploy(tx, deviceId, taskId, news.deploy)
      : 'update' in news
        ? await recordUpdate(tx, deviceId, taskId, news.update)
        : await recordService(tx, deviceId, taskId, news.service, now)
  if (!heard) throw new ProblemError('not-found', 'There is no such work for this device, or it is over.')
}
