import { randomUUID } from 'node:crypto'
import type { Pool } from './db'
import { calloutJobs, engineJobs, type Job, type Sending } from './engine'
import { accessJobs } from './features/access'
import { alertJobs } from './features/alert'
import { healthJobs } from './features/health'
import { rolloutJobs } from './features/rollout'

/** Everything that a server does without being asked. @param process what it calls itself among others */
export function allJobs(
  pool: Pool,
  sending: Sending,
  process = { id: randomUUID(), name: 'a server', version: '' },
): Job[] {
  return [
    ...engineJobs(pool),
    ...calloutJobs(pool, sending),
    ...rolloutJobs(pool),
    ...alertJobs(pool),
    ...accessJobs(pool),
    ...healthJobs(pool, process),
  ]
}
