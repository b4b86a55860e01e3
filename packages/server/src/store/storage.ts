import type { Storage, StorageKind, StoredKind } from '#contract'
import type { Millis } from '#core'
import { firstRow, partitionsOf, rows, type Db, type Pool } from '../db'
import { kept, retentionDays } from './retention'

interface SizeRow {
  kind: StorageKind
  bytes: number
  rows: number
}

/** Of each kind, with all partitions and indexes. What two kinds share counts to the first. */
async function sizes(db: Db): Promise<SizeRow[]> {
  const counted = new Set<string>()
  const tables = kept.flatMap(({ kind, tables }) =>
    tables.filter((table) => !counted.has(table) && counted.add(table)).map((table) => ({ kind, table })),
  )
  return rows<SizeRow>(
    db,
    `
    with wanted as (select * from unnest($1::text[], $2::text[]) w (kind, relation)),
    part as (
      select w.kind, t.relid from wanted w cross join lateral (
        select relid from pg_partition_tree(w.relation::regclass) where isleaf
        union select oid from pg_class where oid = w.relation::regclass and relkind = 'r'
      ) t
    )
    select k.kind, coalesce(sum(pg_total_relation_size(p.relid)), 0)::bigint as bytes,
      coalesce(sum(greatest(c.reltuples, 0)), 0)::bigint as rows
    from unnest($3::text[]) k (kind) left join part p on p.kind = k.kind left join pg_class c on c.oid = p.relid
    group by k.kind`,
    [tables.map(({ kind }) => kind), tables.map(({ table }) => table), kept.map(({ kind }) => kind)],
  )
}

/** Notes how large each kind is today; the first size of a day counts. */
export async function sampleSizes(pool: Pool): Promise<void> {
  const found = await sizes(pool)
  await pool.query(
    `insert into storage_sample (day, kind, bytes) select current_date, k, b from unnest($1::text[], $2::bigint[]) s (k, b)
     on conflict do nothing`,
    [found.map(({ kind }) => kind), found.map(({ bytes }) => bytes)],
  )
  await pool.query(`delete from storage_sample where day < current_date - 400`)
}

/** Of a table in partitions by time the beginning of the oldest that holds anything: no key leads with the time. */
async function oldestOf(db: Db, table: string, column: string): Promise<Millis | null> {
  const isPartitioned = await firstRow(db, 'select from pg_partitioned_table where partrelid = $1::regclass', [table])
  if (!isPartitioned)
    return (await firstRow<{ at: Millis | null }>(db, `select min(${column})::timestamptz as at from ${table}`))!.at
  for (const { name, from, server } of await partitionsOf(db, table))
    // Only what holds something goes to another server, which is not asked: it may not answer.
    if (server !== null || (await firstRow(db, `select from ${name} limit 1`))) return from
  return null
}

export async function readStorage(db: Db): Promise<Storage> {
  const found = new Map((await sizes(db)).map((row) => [row.kind, row]))
  const earlier = new Map(
    (
      await rows<{ kind: StorageKind; bytes: number; days: number }>(
        db,
        `select distinct on (kind) kind, bytes, current_date - day as days from storage_sample
         where day < current_date and day >= current_date - 7 order by kind, day`,
      )
    ).map((row) => [row.kind, row]),
  )
  const days = await retentionDays(db)
  const kinds: StoredKind[] = []
  for (const { kind, tables, time, days: standardDays, least } of kept) {
    const size = found.get(kind)!
    const before = earlier.get(kind)
    const oldest = await oldestOf(db, tables[0], time)
    kinds.push({
      kind,
      bytes: size.bytes,
      rows: size.rows,
      bytesPerDay: before ? (size.bytes - before.bytes) / before.days : null,
      oldestAt: oldest,
      days: days[kind],
      standardDays,
      leastDays: least,
    })
  }
  const whole = await firstRow<{ bytes: number }>(db, 'select pg_database_size(current_database()) as bytes')
  return { databaseBytes: whole!.bytes, kinds }
}
