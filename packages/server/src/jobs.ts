import type { Pool } from './db'
import { engineJobs, type Job } from './engine'
import { accessJobs } from './features/access'
import { alertJobs } from './features/alert'
import { rolloutJobs } from './features/rollout'

/** Everything that a server does without being asked. */
export function allJobs(pool: Pool): Job[] {
  return [...engineJobs(pool), ...rolloutJobs(pool), ...alertJobs(pool), ...accessJobs(pool)]
}
