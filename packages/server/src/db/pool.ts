import pg from 'pg'

// Times cross as milliseconds since 1970 and whole numbers as numbers: both fit a double exactly.
pg.types.setTypeParser(pg.types.builtins.TIMESTAMPTZ, (text) =>
  Date.parse(text.replace(' ', 'T').replace(/([+-]\d\d)$/, '$1:00')),
)
pg.types.setTypeParser(pg.types.builtins.INT8, Number)

export type Pool = pg.Pool
/** What runs a statement: the pool, or the connection of a transaction. */
export interface Db {
  query<Row extends pg.QueryResultRow = pg.QueryResultRow>(
    text: string | pg.QueryConfig,
    values?: unknown[],
  ): Promise<pg.QueryResult<Row>>
}

export function openPool(url: string, size = 12): Pool {
  const pool = new pg.Pool({
    connectionString: url,
    max: size,
    application_name: 'custode',
    // Of the 88 ms of a statement over ten thousand devices compiling its plan took 14. What a machine that is gone had
    // locked is free after a minute.
    options: '-c jit=off -c tcp_keepalives_idle=30 -c tcp_keepalives_interval=10 -c tcp_keepalives_count=3',
  })
  // A connection that breaks is replaced at the next use, and whoever waited for it hears of it through the statement.
  // But it says so as an event, too, idle or between two statements of a transaction: without a listener that would
  // end the process.
  pool.on('error', () => undefined)
  pool.on('connect', (connection) => connection.on('error', () => undefined))
  return pool
}

/** Of what runs statements in turn on one connection: how something else has that connection to itself for a while. */
export const alone = new WeakMap<Db, <T>(work: (connection: pg.PoolClient) => Promise<T>) => Promise<T>>()

const afterwards = new WeakMap<Db, ((pool: Pool) => void)[]>()

/** Does it when the transaction has been committed, and never if it is not; at once for what is in none. */
export function whenCommitted(db: Db | Pool, work: (pool: Pool) => void): void {
  const waiting = afterwards.get(db)
  if (waiting) waiting.push(work)
  else work(db as Pool)
}

/**
 * Runs work on one connection between *begin* and *commit*, at PostgreSQL's ordinary level (read committed): the next
 * statement sees what others commit meanwhile, so what is checked must be checked or locked by the statement that acts.
 * Whatever the work throws rolls everything back and is thrown on. It takes a connection of the pool for as long:
 * nothing slow, and no other transaction, belongs inside.
 * @example
 * await inTransaction(pool, async (tx) => { await tx.query('update …'); whenCommitted(tx, tellOthers) })
 */
export async function inTransaction<T>(pool: Pool, work: (tx: Db) => Promise<T>): Promise<T> {
  const connection = await pool.connect()
  const waiting: ((pool: Pool) => void)[] = []
  afterwards.set(connection, waiting)
  try {
    await connection.query('begin')
    const result = await work(connection)
    await connection.query('commit')
    afterwards.delete(connection)
    for (const deferred of waiting) deferred(pool)
    return result
  } catch (error) {
    await connection.query('rollback').catch(() => undefined)
    throw error
  } finally {
    afterwards.delete(connection)
    connection.release()
  }
}

export async function rows<Row extends pg.QueryResultRow>(
  db: Db,
  text: string,
  values: unknown[] = [],
): Promise<Row[]> {
  return (await db.query<Row>(text, values)).rows
}

export async function firstRow<Row extends pg.QueryResultRow>(
  db: Db,
  text: string,
  values: unknown[] = [],
): Promise<Row | null> {
  return (await db.query<Row>(text, values)).rows[0] ?? null
}

/** A time as a parameter. */
export function time(at: number | null): Date | null {
  return at === null ? null : new Date(at)
}
