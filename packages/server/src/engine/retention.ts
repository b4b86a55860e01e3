import { day, type Millis } from '#core'
import { inTransaction, rows, time, type Pool } from '../db'
import { kept, retentionDays, type Kept } from '../store/retention'
import { sampleSizes } from '../store/storage'

/** Rows are deleted device range by device range, so that no statement holds much for long. */
const devicesAtOnce = 500

/** Weekly partitions of a table whose last moment is before this. The names are ours and end in their first day. */
async function partitionsBefore(pool: Pool, table: string, until: Millis): Promise<string[]> {
  const found = await rows<{ name: string }>(
    pool,
    `select c.relname as name from pg_inherits i join pg_class c on c.oid = i.inhrelid
     where i.inhparent = $1::regclass order by 1`,
    [table],
  )
  return found
    .map(({ name }) => name)
    .filter((name) => {
      const [, year, month, date] = /_(\d{4})(\d{2})(\d{2})$/.exec(name) ?? []
      return year !== undefined && Date.UTC(+year, +month! - 1, +date!) + 7 * day <= until
    })
}

async function forgetKind(pool: Pool, { tables, partitioned, forget = [], kind }: Kept, until: Millis): Promise<void> {
  if (partitioned)
    for (const name of await partitionsBefore(pool, tables[0], until))
      await inTransaction(pool, async (tx) => {
        // Whoever reads the table is waited for, and whoever comes next waits behind: not for long. It goes next time.
        await tx.query(`set local lock_timeout = '5s'`)
        await tx.query(`drop table if exists ${name}`)
      })
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
      await forgetKind(pool, each, now - days[each.kind] * day)
    } catch (error) {
      failures.push(error)
    }
  // Without its sizes the day is not done, and is tried again.
  if (failures.length) throw new AggregateError(failures, `retention: ${(failures[0] as Error).message}`)
  await sampleSizes(pool)
}
