import { leastArchiveDays, type ArchiveServer, type ArchiveTarget, type AwayReadings } from '#contract'
import { day, type Millis } from '#core'
import { firstRow, partitionsOf, rows, type Db, type Partition, type Pool } from '../db'

/**
 * Packed readings and roll-ups of long ago may lie on other PostgreSQL servers, as foreign tables (`postgres_fdw`)
 * among the partitions of one table. Which servers there are is said in the database, by whoever runs it: what this
 * role may use, and has a user mapping for. What has to be done over there goes through `dblink`, by the same names.
 */
export const archived = ['packed', 'rollup'] as const
export type Archived = (typeof archived)[number]

/** The servers that this database may keep partitions on, in order of name. */
async function serversOf(db: Db): Promise<{ name: string; address: string }[]> {
  return rows(
    db,
    `select s.srvname as name, coalesce((select string_agg(split_part(o, '=', 2), ':' order by o)
       from unnest(s.srvoptions) o where o like 'host=%' or o like 'port=%'), '') as address
     from pg_foreign_server s join pg_foreign_data_wrapper w on w.oid = s.srvfdw
     where w.fdwname = 'postgres_fdw' and has_server_privilege(s.oid, 'usage')
       and exists (select from pg_extension where extname = 'dblink')
       and exists (select from pg_user_mappings m where m.srvid = s.oid and m.usename in (current_user, 'public'))
     order by 1`,
  )
}

/** What is being asked of which server: whoever wants to know it meanwhile waits for the same answer. */
const asked = new WeakMap<Pool, Map<string, Promise<string | null>>>()

/**
 * Why a server does not answer; null: it does. How long that may take is an option of the server in the database; one
 * that says nothing takes one connection of the pool for so long, however many ask.
 */
function faultOf(pool: Pool, server: string): Promise<string | null> {
  const asking = asked.get(pool) ?? new Map<string, Promise<string | null>>()
  asked.set(pool, asking)
  const known = asking.get(server)
  if (known) return known
  const answer = pool
    .query(`select from dblink($1, 'select 1') t (one int)`, [server])
    .then(
      () => null,
      ({ message, detail = '' }: Error & { detail?: string }) =>
        [message, detail.split('\n')[0]].filter(Boolean).join(': '),
    )
    .finally(() => asking.delete(server))
  asking.set(server, answer)
  return answer
}

export async function archiveTarget(db: Db): Promise<ArchiveTarget> {
  const found = await firstRow<{ server: string; afterDays: number }>(
    db,
    'select server, after_days as "afterDays" from archive_target',
  )
  return found ?? { server: null, afterDays: leastArchiveDays }
}

async function partitionsElsewhere(db: Db): Promise<(Partition & { table: Archived; server: string })[]> {
  const found = await Promise.all(
    archived.map(async (table) => (await partitionsOf(db, table)).map((each) => ({ ...each, table }))),
  )
  return found.flat().flatMap((each) => (each.server === null ? [] : [{ ...each, server: each.server }]))
}

/** The other servers, whether they answer, and what lies there. */
export async function readArchives(pool: Pool): Promise<ArchiveServer[]> {
  const partitions = await partitionsElsewhere(pool)
  return Promise.all(
    (await serversOf(pool)).map(async ({ name, address }) => {
      const mine = partitions.filter(({ server }) => server === name)
      const fault = await faultOf(pool, name)
      const there = mine.map((partition) => `'public.${partition.name}'`).join()
      const size =
        fault === null && there
          ? await firstRow<{ bytes: number }>(pool, `select bytes from dblink($1, $2) t (bytes bigint)`, [
              name,
              `select coalesce(sum(pg_total_relation_size(to_regclass(t))), 0)::bigint from unnest(array[${there}]) t`,
            ])
          : null
      return {
        name,
        address,
        fault,
        bytes: fault !== null ? null : (size?.bytes ?? 0),
        from: mine.length ? Math.min(...mine.map(({ from }) => from)) : null,
        until: mine.length ? Math.max(...mine.map(({ until }) => until)) : null,
      }
    }),
  )
}

/** Roll-ups lie by the week, and of a counter the day before is read. */
const reach = 7 * day

/**
 * What cannot be read from `from` on because a server that it lies on does not answer. Asks nobody where all of it is
 * here.
 */
export async function awayReadings(pool: Pool, from: Millis, now: Millis): Promise<AwayReadings | null> {
  if (from - reach > now - leastArchiveDays * day) return null
  const touched = (await partitionsElsewhere(pool)).filter(({ until }) => until > from - reach)
  const away = new Set<string>()
  for (const server of new Set(touched.map((each) => each.server)))
    if ((await faultOf(pool, server)) !== null) away.add(server)
  const missing = touched.filter(({ server }) => away.has(server))
  const last = missing.sort((a, b) => a.until - b.until).at(-1)
  return last ? { server: last.server, before: last.until + reach } : null
}

/** Drops a partition, wherever it lies. @throws DatabaseError where its server does not answer */
export async function forgetPartition(tx: Db, { name, server }: Partition): Promise<void> {
  if (server === null) {
    await tx.query(`drop table if exists ${name}`)
    return
  }
  await tx.query(`drop foreign table if exists ${name}`)
  await tx.query(`select dblink_exec($1, $2)`, [server, `drop table if exists public.${name}`])
}
