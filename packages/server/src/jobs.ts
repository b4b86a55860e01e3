import type { Pool } from './db'
import { calloutJobs, engineJobs, type Job, type Sending } from './engine'
import { accessJobs } from './features/access'
import { alertJobs } from './features/alert'
import { rolloutJobs } from './features/rollout'

/** Everything that a server does without being asked. */
export function allJobs(pool: Pool, sending: Sending): Job[] {
  return [...engineJobs(pool), ...calloutJobs(pool, sending), ...rolloutJobs(pool), ...alertJobs(pool), ...accessJobs(pool)]
}
