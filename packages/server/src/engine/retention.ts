import { day, type Millis } from '#core'
import { inTransaction, partitionsOf, rows, time, type Db, type Partition, type Pool } from '../db'
import { eachAlone } from './alone'
import { forgetPartition } from '../store/archive'
import { kept, retentionDays, type Kept } from '../store/retention'
import { sampleSizes } from '../store/storage'

/** Rows are deleted device range by device range, so that no statement holds much for long. */
const devicesAtOnce = 500

/**
 * Reports as they came are dropped once every one of them is packed. Days of which more are kept than packed are due
 * again, whatever was the cause, and the week stays until then.
 * @throws Error where some are not packed yet
 */
async function requirePacked(tx: Db, { name: week, from, until }: Partition): Promise<void> {
  const { rowCount } = await tx.query(
    // By the primary key of the partition, once, in its order.
    `with came as (
       select r.device_id, (r.at at time zone 'UTC')::date as day, 
         count(distinct date_trunc('milliseconds', r.at)) as reports
       from ${week} r where exists (select from device d where d.id = r.device_id) group by 1, 2
     ), missing as (
       select c.device_id, c.day from came c
       left join packed p on p.device_id = c.device_id and p.n = 0 and p.day = c.day 
         and p.day between $1::timestamptz::date and $2::timestamptz::date
       left join packed_to t on t.device_id = c.device_id
       -- There may be times of other sources: that all is packed is known by how far it is, and by nothing being due.
       where coalesce(p.count, 0) < c.reports or coalesce(t.until, '-infinity') < (c.day + 1) at time zone 'UTC'
         or exists (select from pack_due u where u.device_id = c.device_id and u.day = c.day)
     ), due as (
       insert into pack_due (device_id, day) select m.device_id, m.day from missing m
       where exists (select from packed_to t where t.device_id = m.device_id and t.until > m.day)
         and not exists (select from pack_due u where u.device_id = m.device_id and u.day = m.day)
     )
     select from missing limit 1`,
    [time(from), time(until)],
  )
  if (rowCount) throw new NotPackedError(`Not all reports of ${week} are packed. They are dropped when they are.`)
}

class NotPackedError extends Error {}

async function dropPartition(pool: Pool, table: string, partition: Partition, mustBePacked: boolean): Promise<void> {
  if (table === 'report' && mustBePacked) {
    // What is to be packed again is to stay so, though the week stays too.
    const refused = await inTransaction(pool, (tx) =>
      requirePacked(tx, partition).then(
        () => null,
        (error: unknown) => {
          if (error instanceof NotPackedError) return error
          throw error
        },
      ),
    )
    if (refused) throw refused
  }
  await inTransaction(pool, async (tx) => {
    // Whoever reads the table is waited for, and whoever comes next waits behind: not for long. It goes next time.
    await tx.query(`set local lock_timeout = '5s'`)
    await forgetPartition(tx, partition)
  })
}

/** @param packedFrom what is older is not kept packed either */
async function forgetKind(
  pool: Pool,
  { tables, partitioned, forget = [], kind }: Kept,
  until: Millis,
  packedFrom: Millis,
): Promise<void> {
  if (partitioned)
    for (const table of tables)
      // One that cannot go yet keeps no other.
      await eachAlone(
        (await partitionsOf(pool, table)).filter((partition) => partition.until <= until),
        (partition) => dropPartition(pool, table, partition, partition.until > packedFrom),
      )
  for (const statement of forget) {
    if (kind !== 'log-quiet') {
      await pool.query(statement, [time(until)])
      continue
    }
    const { rows: last } = await pool.query<{ id: number | null }>('select max(id) as id from device')
    for (let from = 0; from <= (last[0]!.id ?? 0); from += devicesAtOnce)
      await pool.query(`${statement} and device_id > $2 and device_id <= $3`, [time(until), from, from + devicesAtOnce])
  }
}

/** Once a day, by whichever process is first; how often they were started anew since makes no difference. */
export async function dailyRetention(pool: Pool, now: Millis): Promise<void> {
  const done = await rows(pool, 'select from storage_sample where day = current_date limit 1')
  if (!done.length) await applyRetention(pool, now)
}

/**
 * Forgets what is older than is kept, each kind by itself, and notes how large each is.
 * @throws AggregateError with the kinds that failed, once the others are done
 */
export async function applyRetention(pool: Pool, now: Millis): Promise<void> {
  const days = await retentionDays(pool)
  const failures: unknown[] = []
  for (const each of kept)
    try {
      await forgetKind(pool, each, now - days[each.kind] * day, now - days.packed * day)
    } catch (error) {
      failures.push(error)
    }
  // Without its sizes the day is not done, and is tried again.
  if (failures.length) throw new AggregateError(failures, `retention: ${(failures[0] as Error).message}`)
  await sampleSizes(pool)
}
