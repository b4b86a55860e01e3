import type { Millis } from '#core'
import { alone, type Db, type Pool } from './pool'

/** What is worked out from what was kept takes longer than what stands there: nobody waits longer than so. */
const longestStatement: Millis = 20_000
/** People who look at now need connections, too. */
const atOnce = 3
let running = 0
const waiting: (() => void)[] = []

async function inTurn<T>(work: () => Promise<T>): Promise<T> {
  if (running >= atOnce) await new Promise<void>((resolve) => waiting.push(resolve))
  else running++
  try {
    return await work()
  } finally {
    const next = waiting.shift()
    if (next) next()
    else running--
  }
}

/** Whether a statement was given up because it took too long (PostgreSQL 15, appendix A: query_canceled). */
export const tookTooLong = (error: unknown): boolean => (error as { code?: unknown }).code === '57014'

/**
 * Runs work on one connection as of a time that is over: tables are read as they were then, and now() is that time
 * (migration 0032, schema `past`). Nothing can be written. What nobody kept is as it is now.
 * @example
 * await readAsOf(pool, at, (db) => rows(db, `select name from device where retired_at is null`))
 */
export function readAsOf<T>(pool: Pool, at: Millis, work: (db: Db) => Promise<T> | T): Promise<T> {
  return inTurn(() => onOneConnection(pool, at, work))
}

async function onOneConnection<T>(pool: Pool, at: Millis, work: (db: Db) => Promise<T> | T): Promise<T> {
  const connection = await pool.connect()
  let last: Promise<unknown> = Promise.resolve()
  // A connection runs one statement at a time; those who read several things at once wait for each other.
  const next = <Answer>(work: () => Promise<Answer>): Promise<Answer> => {
    const answer = last.then(work)
    last = answer.catch(() => undefined)
    return answer
  }
  const db: Db = { query: (text, values) => next(() => connection.query(text, values)) as never }
  alone.set(db, (work) => next(() => work(connection)))
  try {
    await connection.query('begin isolation level repeatable read read only')
    // A setting takes no parameters; this function does. Local: it ends with the transaction.
    await connection.query(
      `select set_config('custode.as_of', $1, true), set_config('search_path', 'past, pg_catalog, public', true),
         set_config('statement_timeout', $2, true)`,
      [new Date(at).toISOString(), String(longestStatement)],
    )
    return await work(db)
  } finally {
    await last
    await connection.query('rollback').catch(() => undefined)
    connection.release()
  }
}
