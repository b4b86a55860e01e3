import { randomUUID } from 'node:crypto'
import type { Pool } from './db'
import { calloutJobs, engineJobs, type Job, type Sending } from './engine'
import { accessJobs } from './features/access'
import { alertJobs } from './features/alert'
import { healthJobs } from './features/health'
import { requestJobs } from './features/requests'
import { rolloutJobs } from './features/rollout'
import type { ServerSelf } from './store/health'

/** Everything that a server does without being asked. @param process what it calls itself among others */
export function allJobs(
  pool: Pool,
  sending: Sending,
  process: ServerSelf = { id: randomUUID(), name: 'a server', version: '', mailPort: null },
): Job[] {
  return [
    ...engineJobs(pool),
    ...calloutJobs(pool, sending),
    ...rolloutJobs(pool),
    ...alertJobs(pool),
    ...requestJobs(pool),
    ...accessJobs(pool),
    ...healthJobs(pool, process),
  ]
}
