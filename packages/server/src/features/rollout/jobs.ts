import { second } from '#core'
import type { Pool } from '../../db'
import type { Job } from '../../engine'
import { turnSweeps } from './sweeps/sweeps'
import { turnUpdates } from './updates/updateRun'
import { turnRuns } from './waves/waveRun'

/** What goes out to machines by itself. */
export function rolloutJobs(pool: Pool): Job[] {
  return [
    { name: 'sweeps', every: 5 * second, work: (now) => turnSweeps(pool, now) },
    { name: 'waves', every: 2 * second, work: (now) => turnRuns(pool, now) },
    { name: 'updates', every: 2 * second, work: (now) => turnUpdates(pool, now) },
  ]
}
