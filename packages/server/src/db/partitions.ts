import { day, type Millis } from '#core'
import { rows, inTransaction, type Db, type Pool } from './pool'

type Span = 'week' | 'month' | 'year'
/** Tables in partitions by time, and over how much time each of them reaches. */
const partitioned = {
  report: 'week',
  log_event: 'week',
  process_top: 'week',
  post_change: 'week',
  packed: 'month',
  report_day: 'month',
  day_figure: 'month',
  rollup: 'year',
} as const satisfies Record<string, Span>
export type PartitionedTable = keyof typeof partitioned

/** Keys of each partition by itself where one of the whole would keep partitions from lying on other servers. */
export const ownKeys: Partial<Record<PartitionedTable, string>> = {
  packed: 'device_id, n, day',
  rollup: 'device_id, n, week',
}
const week = 7 * day

/**
 * What was written longer ago than this is not kept any more, and not taken: there is always a partition for what is.
 */
export const oldestKept: Millis = 30 * day

/**
 * Reports that are older are not taken. They are kept as they came for a day more at least, so that none comes for a
 * day whose reports are dropped.
 */
export const oldestReport: Millis = 13 * day

/** Where the partition begins that holds a time, and where the next does. */
function boundsOf(span: Span, at: Millis): [from: Millis, until: Millis] {
  if (span === 'week') {
    const from = Math.floor(at / week) * week
    return [from, from + week]
  }
  const date = new Date(at)
  const year = date.getUTCFullYear()
  if (span === 'year') return [Date.UTC(year, 0), Date.UTC(year + 1, 0)]
  return [Date.UTC(year, date.getUTCMonth()), Date.UTC(year, date.getUTCMonth() + 1)]
}

/** Makes the partitions that are missing for what lies between two times. */
export async function makePartitions(db: Db, table: PartitionedTable, from: Millis, until: Millis): Promise<void> {
  for (
    let [start, end] = boundsOf(partitioned[table], from);
    start < until;
    [start, end] = boundsOf(partitioned[table], end)
  ) {
    const [first, next] = [new Date(start).toISOString(), new Date(end).toISOString()]
    const key = ownKeys[table]
    // Built from constants and a number only; identifiers cannot be parameters.
    await db.query(
      `create table if not exists ${table}_${first.slice(0, 10).replaceAll('-', '')} partition of ${table}
       ${key ? `(primary key (${key}))` : ''} for values from ('${first}') to ('${next}')`,
    )
  }
}

/**
 * Partitions from five weeks back (agents may catch up, and a demo brings history) to two weeks ahead. Called at start
 * and every few hours, so that no reading ever finds its partition missing.
 */
export async function ensurePartitions(pool: Pool, now: Millis): Promise<void> {
  await inTransaction(pool, async (tx) => {
    await lockPartitions(tx)
    // Not all are there while an older database is brought up to date.
    const there = await rows<{ name: PartitionedTable }>(
      tx,
      'select name from unnest($1::text[]) t (name) where to_regclass(name) is not null',
      [Object.keys(partitioned)],
    )
    for (const { name } of there) await makePartitions(tx, name, now - 5 * week, now + 2 * week)
  })
}

/** Whoever makes or drops partitions does it alone. */
export async function lockPartitions(tx: Db): Promise<void> {
  await tx.query(`select pg_advisory_xact_lock(hashtext('custode partitions'))`)
}

export interface Partition {
  name: string
  from: Millis
  until: Millis
  /** Name of the other server that it lies on; null: it lies here. */
  server: string | null
}

/** The partitions of a table, oldest first. Their names are ours and end in their first day. */
export async function partitionsOf(db: Db, table: string): Promise<Partition[]> {
  const found = await rows<{ name: string; server: string | null }>(
    db,
    `select c.relname as name, s.srvname as server from pg_inherits i join pg_class c on c.oid = i.inhrelid
     left join pg_foreign_table f on f.ftrelid = c.oid left join pg_foreign_server s on s.oid = f.ftserver
     where i.inhparent = $1::regclass order by 1`,
    [table],
  )
  return found.flatMap(({ name, server }) => {
    const [, year, month, date] = /_(\d{4})(\d{2})(\d{2})$/.exec(name) ?? []
    if (year === undefined) return []
    const [from, until] = boundsOf(partitioned[table as PartitionedTable], Date.UTC(+year, +month! - 1, +date!))
    return [{ name, from, until, server }]
  })
}
