import type { TaskNews } from '#contract'
import type { DeviceId, Millis } from '#core'
import type { Db } from '../../db'
import { hearService } from '../../engine'
import { ProblemError } from '../../http/problems'
import { hearSweep } from '../rollout/sweeps/sweeps'
import { hearUpdate } from '../rollout/updates/updateRun'
import { hearDeploy } from '../rollout/waves/waveRun'

/**
 * What an agent tells of its work.
 * @throws ProblemError not-found when there is no such work for this device, or it is over
 */
export async function hearNews(tx: Db, deviceId: DeviceId, taskId: number, news: TaskNews, now: Millis): Promise<void> {
  if ('sweep' in news) return hearSweep(tx, deviceId, taskId, news.sweep)
  const heard =
    'deploy' in news
      ? await hearDeploy(tx, deviceId, taskId, news.deploy)
      : 'update' in news
        ? await hearUpdate(tx, deviceId, taskId, news.update)
        : await hearService(tx, deviceId, taskId, news.service, now)
  if (!heard) throw new ProblemError('not-found', 'There is no such work for this device, or it is over.')
}
