import pLimit from 'p-limit'
import { firstRow, inTransaction, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'

const most = { perAccount: 10, perAddress: 30 }

/** Attempts wait for each other; a crowd of them must not hold all connections to the database meanwhile. */
const counting = pLimit(2)
const mostCounting = 40

/**
 * Notes an attempt before it is tried, so that guesses that come at once are counted like those that come one by one.
 * One that succeeds is taken out again.
 * @throws ProblemError too-many-attempts
 */
export function noteAttempt(pool: Pool, email: string, address: string): Promise<number> {
  if (counting.pendingCount >= mostCounting) throw new ProblemError('sign-in-busy')
  return counting(() =>
    inTransaction(pool, async (tx) => {
      // Of one account, and of one address, one after the other.
      await tx.query('select pg_advisory_xact_lock(hashtextextended(lower($1), 1))', [email])
      await tx.query('select pg_advisory_xact_lock(hashtextextended($1, 2))', [address])
      await tx.query(`delete from sign_in_attempt where at < now() - interval '1 day'`)
      const tries = (await firstRow<{ by_email: number; by_address: number }>(
        tx,
        `
      select count(*) filter (where email = lower($1)) as by_email, count(*) filter (where address = $2) as by_address
      from sign_in_attempt where at > now() - interval '15 minutes'`,
        [email, address],
      ))!
      if (tries.by_email >= most.perAccount || tries.by_address >= most.perAddress)
        throw new ProblemError('too-many-attempts')
      return (await firstRow<{ id: number }>(
        tx,
        'insert into sign_in_attempt (email, address) values (lower($1), $2) returning id',
        [email, address],
      ))!.id
    }),
  )
}

/** Verifies a password as one attempt. One that was never tried, because too many are signing in, counts as none. */
export async function tried(pool: Pool, attempt: number, verify: Promise<boolean>): Promise<boolean> {
  try {
    return await verify
  } catch (error) {
    if (error instanceof ProblemError && error.code === 'sign-in-busy') await forgetAttempt(pool, attempt)
    throw error
  }
}

export async function forgetAttempt(db: Db, id: number): Promise<void> {
  await db.query('delete from sign_in_attempt where id = $1', [id])
}
