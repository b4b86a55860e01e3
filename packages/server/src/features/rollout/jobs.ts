import { second } from '#core'
import type { Pool } from '../../db'
import type { Job } from '../../engine'
import { advanceSweeps } from './sweeps/sweeps'
import { advanceUpdates } from './updates/updateRun'
import { advanceRuns } from './waves/waveRun'

/** What goes out to machines by itself. */
export function rolloutJobs(pool: Pool): Job[] {
  return [
    { name: 'sweeps', every: 5 * second, work: (now) => advanceSweeps(pool, now) },
    { name: 'waves', every: 2 * second, work: (now) => advanceRuns(pool, now) },
    { name: 'updates', every: 2 * second, work: (now) => advanceUpdates(pool, now) },
  ]
}
