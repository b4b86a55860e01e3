import { day, hour } from '#core'
import { time, type Pool } from '../../db'
import type { Job } from '../../engine'

/** What nobody needs any more of sign-ins. */
export function accessJobs(pool: Pool): Job[] {
  return [
    {
      name: 'sessions',
      every: hour,
      work: (now) => pool.query('delete from session where expires_at < $1', [time(now)]),
    },
    {
      name: 'attempts',
      every: hour,
      work: (now) => pool.query('delete from sign_in_attempt where at < $1', [time(now - day)]),
    },
  ]
}
