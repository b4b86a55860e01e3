import { day, type DeviceId, type Millis } from '#core'
import { firstRow, inTransaction, ownKeys, partitionsOf, rows, type Db, type Partition, type Pool } from '../db'
import { archived, archiveTarget, type Archived } from '../store/archive'
import { packingLock } from '../store/series'

const columns: Record<Archived, string> = {
  packed: 'device_id int not null, n int not null, day date not null, count int not null, data bytea not null',
  rollup: 'device_id int not null, n int not null, week date not null, data bytea not null',
}

const devicesAtOnce = 50

/** What a device has in a partition, as a number that differs where its rows do. */
const contentOf = (table: string, key: string) =>
  `select device_id, count(*) as n, sum(('x' || left(md5(${key}::text || md5(data)), 15))::bit(60)::bigint) as content
   from ${table} group by device_id`

/** Devices whose rows here and over there are not the same. */
async function differing(db: Db, here: string, there: string, table: Archived): Promise<DeviceId[]> {
  const key = table === 'packed' ? '(n, day, count)' : '(n, week)'
  const found = await rows<{ id: DeviceId }>(
    db,
    `select coalesce(a.device_id, b.device_id) as id from (${contentOf(here, key)}) a
     full join (${contentOf(there, key)}) b on b.device_id = a.device_id
     where (a.n, a.content) is distinct from (b.n, b.content) order by 1`,
  )
  return found.map(({ id }) => id)
}

async function copyDevices(tx: Db, here: string, there: string, ids: readonly DeviceId[]): Promise<void> {
  await tx.query(`delete from ${there} where device_id = any($1)`, [ids])
  await tx.query(`insert into ${there} select * from ${here} where device_id = any($1)`, [ids])
}

/**
 * Moves a partition to another server. First it is copied, some devices at a time, while everything goes on; then,
 * alone with it, what differs since is copied once more, and the other takes its place in one transaction. Killed at
 * any moment, what is here counts, and the next time goes on with what is there.
 */
async function movePartition(pool: Pool, table: Archived, partition: Partition, server: string): Promise<void> {
  const { name: here } = partition
  const there = `${here}_there`
  await inTransaction(pool, async (tx) => {
    await tx.query(`select dblink_exec($1, $2)`, [
      server,
      `create table if not exists public.${here} (${columns[table]}, primary key (${ownKeys[table]!}))`,
    ])
    await tx.query(`drop foreign table if exists ${there}`)
    await tx.query(
      `create foreign table ${there} (${columns[table]}) server ${quoted(server)}
       options (schema_name 'public', table_name '${here}', batch_size '100')`,
    )
  })
  for (const ids = await differing(pool, here, there, table); ids.length;) {
    const some = ids.splice(0, devicesAtOnce)
    await inTransaction(pool, (tx) => copyDevices(tx, here, there, some))
  }
  await inTransaction(pool, async (tx) => {
    await packingLock(tx)
    const since = await differing(tx, here, there, table)
    if (since.length) await copyDevices(tx, here, there, since)
    // Whoever reads the table is waited for, and whoever comes next waits behind: not for long. It goes next time.
    await tx.query(`set local lock_timeout = '5s'`)
    await tx.query(`drop table ${here}`)
    await tx.query(`alter foreign table ${there} rename to ${here}`)
    await tx.query(
      `alter table ${table} attach partition ${here} for values from ('${instant(partition.from)}') to ('${instant(partition.until)}')`,
    )
  })
}

const instant = (at: Millis) => new Date(at).toISOString()
const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`

async function moveOld(pool: Pool, now: Millis): Promise<number> {
  const { server, afterDays } = await archiveTarget(pool)
  if (server === null) return 0
  let moved = 0
  for (const table of archived)
    for (const partition of await partitionsOf(pool, table)) {
      if (partition.server !== null || partition.until > now - afterDays * day) continue
      // One without rows has nothing to move.
      if (!(await firstRow(pool, `select from ${partition.name} limit 1`))) continue
      await movePartition(pool, table, partition, server)
      moved++
    }
  return moved
}

/**
 * Moves what has been over for long enough to the server that is chosen for it, oldest first; one process at a time.
 * @returns how many partitions went
 * @throws DatabaseError where that server does not answer; what had gone before stays there
 */
export async function archiveOld(pool: Pool, now: Millis): Promise<number> {
  const holder = await pool.connect()
  try {
    const mine = await firstRow<{ is: boolean }>(
      holder,
      `select pg_try_advisory_lock(hashtext('custode archiving')) as is`,
    )
    return mine!.is ? await moveOld(pool, now) : 0
  } finally {
    await holder.query(`select pg_advisory_unlock(hashtext('custode archiving'))`).catch(() => undefined)
    holder.release()
  }
}
