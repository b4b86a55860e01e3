import type { Health, QueueName, ServerFault, ServerProcess, Trouble } from '#contract'
import { day, hour, minute, type Millis } from '#core'
import { firstRow, rows, time, type Db, type Pool } from '../db'

const longest = 400
const mostFaults = 500

/** Remembers that something failed; where that fails as well, there is the log. */
export async function noteFault(pool: Pool, place: string, error: unknown): Promise<void> {
  const message = (error instanceof Error ? error.message : String(error)).replaceAll('\0', '').slice(0, longest)
  await pool
    .query(
      `insert into server_fault (place, message)
       select $1, $2 where (select count(*) from server_fault) < $3 or exists
         (select from server_fault where place = $1 and message = $2)
       on conflict (place, message) do update set last_at = now(), times = server_fault.times + 1`,
      [place.slice(0, 100), message, mostFaults],
    )
    .catch(() => undefined)
}

/** How a server process calls itself, and where it takes mail; null: nowhere. */
export interface ServerSelf {
  id: string
  name: string
  version: string
  mailPort: number | null
}

/** Says that a process is there, and forgets those that are not, and faults of long ago. */
export async function markProcess(pool: Pool, process: ServerSelf, now: Millis) {
  await pool.query(
    `insert into server_process (id, name, version, mail_port) values ($1, $2, $3, $4)
     on conflict (id) do update set seen_at = now(), mail_port = excluded.mail_port`,
    [process.id, process.name, process.version, process.mailPort],
  )
  await pool.query('delete from server_process where seen_at < $1', [time(now - day)])
  await pool.query('delete from server_fault where last_at < $1', [time(now - 7 * day)])
}

/** A process that was not seen for so long is not there. */
export const gone: Millis = minute

const queueSql: Record<QueueName, string> = {
  messages: `select count(*)::int as waiting, min(created_at) as "oldestAt" from callout_message
    where state in ('waiting', 'sending') or state = 'gathering' and leaves_at < now()`,
  callouts: `select count(*)::int as waiting, min(due_at) as "oldestAt" from callout_due where due_at < now()`,
  settling: `select count(*)::int as waiting, min(since) as "oldestAt" from settle_due where since < now()`,
  tasks: `select count(*)::int as waiting, null::timestamptz as "oldestAt" from device_task
    where state = 'queued' and expires_at > now()`,
  // A device is packed every three hours, once its reports are a quarter of an hour old.
  packing: `select count(*)::int as waiting, min(since) as "oldestAt" from (
      select coalesce(p.until + interval '195 minutes', d.enrolled_at) as since from device d
      left join packed_to p on p.device_id = d.id where d.retired_at is null and d.last_seq > 0) w
    where since < now() - interval '5 minutes'`,
}
/** Waiting longer than this is no waiting any more; tasks wait for machines. */
const stuckAfter: Partial<Record<QueueName, Millis>> = {
  callouts: 5 * minute,
  settling: 15 * minute,
  packing: 12 * hour,
}

async function readQueues(db: Db): Promise<Health['queues']> {
  const queues: Health['queues'] = []
  for (const [name, sql] of Object.entries(queueSql) as [QueueName, string][]) {
    const found = await firstRow<{ waiting: number; oldestAt: Millis | null }>(db, sql)
    queues.push({ name, ...found! })
  }
  return queues
}

const faultsOfLastDay = (db: Db) =>
  rows<ServerFault>(
    db,
    `select place, message, times, first_at as "firstAt", last_at as "lastAt" from server_fault
     where last_at > now() - interval '1 day' order by last_at desc limit 100`,
  )

/** What is not well, the gravest first. */
export async function readTroubles(db: Db, now: Millis): Promise<Trouble[]> {
  const trouble = (more: Partial<Trouble> & Pick<Trouble, 'code'>): Trouble => ({
    name: '',
    since: null,
    count: 0,
    answer: '',
    ...more,
  })
  const troubles: Trouble[] = []
  const unset = await firstRow(
    db,
    `select from callout_rule where removed_at is null and not is_paused
       and rule->'tell' @? '$[*] ? (@.to != "webhook")' and not exists (select from mail_settings) limit 1`,
  )
  if (unset) troubles.push(trouble({ code: 'mail-unset' }))
  const ways = await rows<{ name: string; since: Millis; answer: string }>(
    db,
    `select coalesce(h.name, 'mail') as name, w.failing_since as since, w.answer from callout_way w
     left join webhook h on w.way = 'webhook ' || h.id where w.failing_since < $1 order by 2`,
    [time(now - 5 * minute)],
  )
  for (const way of unset ? ways.filter(({ name }) => name !== 'mail') : ways)
    troubles.push(trouble({ code: 'way-fails', ...way }))
  const failed = await firstRow<{ count: number; since: Millis | null }>(
    db,
    `select count(*)::int as count, min(created_at) as since from callout_message
     where state = 'failed' and created_at > now() - interval '7 days'`,
  )
  if (failed!.count) troubles.push(trouble({ code: 'messages-failed', ...failed! }))
  const closed = await firstRow(
    db,
    `select from inbox where not exists
       (select from server_process where mail_port is not null and seen_at > $1)`,
    [time(now - gone)],
  )
  if (closed) troubles.push(trouble({ code: 'mail-closed' }))
  for (const { name, waiting, oldestAt } of await readQueues(db)) {
    const after = stuckAfter[name]
    if (after !== undefined && oldestAt !== null && now - oldestAt > after)
      troubles.push(trouble({ code: 'queue-stuck', name, since: oldestAt, count: waiting }))
  }
  const alone = await firstRow<{ name: string; since: Millis }>(
    db,
    `select name, seen_at as since from server_process
     where seen_at between $1 and $2 and seen_at - started_at > interval '10 minutes'
       and (select count(*) from server_process where seen_at > $2) <= 1 order by seen_at desc limit 1`,
    [time(now - hour), time(now - gone)],
  )
  if (alone) troubles.push(trouble({ code: 'alone', ...alone }))
  const faults = await faultsOfLastDay(db)
  const times = faults.reduce((sum, fault) => sum + fault.times, 0)
  if (times)
    troubles.push(
      trouble({
        code: 'faults',
        count: times,
        since: Math.min(...faults.map(({ firstAt }) => firstAt)),
        answer: `${faults[0]!.place}: ${faults[0]!.message}`,
      }),
    )
  return troubles
}

export async function readHealth(db: Db, now: Millis): Promise<Omit<Health, 'address'>> {
  const began = performance.now()
  const database = await firstRow<Omit<Health['database'], 'answersIn'>>(
    db,
    `select current_setting('server_version') as version, pg_database_size(current_database())::float8 as bytes,
       (select count(*)::int from pg_stat_activity where datname = current_database()) as connections,
       current_setting('max_connections')::int as "mostConnections"`,
  )
  const answersIn = performance.now() - began
  const processes = await rows<ServerProcess>(
    db,
    `select name, version, started_at as "startedAt", seen_at as "seenAt" from server_process
     where seen_at > $1 order by started_at`,
    [time(now - gone)],
  )
  return {
    processes,
    database: { ...database!, answersIn },
    queues: await readQueues(db),
    faults: await faultsOfLastDay(db),
    troubles: await readTroubles(db, now),
  }
}
