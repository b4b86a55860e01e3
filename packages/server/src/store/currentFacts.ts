import type { DeviceId, Facts, Millis } from '#core'
import { rows, time, type Db } from '../db'
import { keepBacklog, takeOverBacklog } from './backlog'

export interface ToldFact {
  subject: keyof Facts
  at: Millis
  value: unknown
}

/** Columns of `device` for the board, from its current fact `f`. Agents before 0.3 do not tell `listsAt`. */
const fromUpdates = `
  security_updates = (f.value->>'security')::int, other_updates = (f.value->>'other')::int,
  oldest_security_at = to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000),
  updates_known = coalesce(f.value->'listsAt', '0') <> 'null'`

/** Keeps facts in the order in which they were told: all in the history, the last of each subject as current. */
export async function keepFacts(tx: Db, deviceId: DeviceId, facts: readonly ToldFact[]): Promise<void> {
  if (!facts.length) return
  const last = new Map(facts.map((fact) => [fact.subject, fact]))
  const columns = (list: readonly ToldFact[]) => [
    list.map((fact) => fact.subject),
    list.map((fact) => time(fact.at)),
    list.map((fact) => JSON.stringify(fact.value)),
  ]
  await tx.query(
    `insert into device_fact (device_id, subject, at, value)
     select $1, f.subject, f.at, f.value from unnest($2::text[], $3::timestamptz[], $4::jsonb[]) f (subject, at, value)`,
    [deviceId, ...columns(facts)],
  )
  await tx.query(
    `insert into current_fact (device_id, subject, at, value)
     select $1, f.subject, f.at, f.value from unnest($2::text[], $3::timestamptz[], $4::jsonb[]) f (subject, at, value)
     on conflict (device_id, subject) do update set at = excluded.at, value = excluded.value`,
    [deviceId, ...columns([...last.values()])],
  )
  if (last.has('updates')) {
    await boardUpdates(tx, deviceId)
    await keepBacklog(
      tx,
      deviceId,
      facts.filter((fact) => fact.subject === 'updates'),
    )
  }
  if (last.has('waiting')) await keepWaiting(tx, deviceId)
  if (last.has('gateways')) await readGateways(tx, deviceId)
  if (last.has('services')) {
    await tx.query('update device set services_read = true where id = $1', [deviceId])
    await keepServices(tx, deviceId)
  }
}

/**
 * The rows of a device's services as its current fact tells them; only what changed is written. A service twice is one.
 */
async function keepServices(tx: Db, deviceId: DeviceId): Promise<void> {
  await tx.query(
    `
    with told as materialized (
      select distinct on (s.name) s.name, s.title, s.start, s.state, s.account, to_timestamp(s.since / 1000) as since
      from current_fact f cross join jsonb_to_recordset(f.value)
        s (name text, title text, start text, state text, account text, since float8)
      where f.device_id = $1 and f.subject = 'services' order by s.name
    ), gone as (
      delete from device_service d where d.device_id = $1 and not exists (select from told t where t.name = d.name)
    ), changed as (
      update device_service d
      set title = t.title, start = t.start, state = t.state, account = t.account, since = t.since
      from told t where d.device_id = $1 and d.name = t.name
        and (d.title, d.start, d.state, d.account, d.since)
          is distinct from (t.title, t.start, t.state, t.account, t.since)
    )
    insert into device_service (device_id, name, title, start, state, account, since)
    select $1, t.* from told t
    where not exists (select from device_service d where d.device_id = $1 and d.name = t.name)`,
    [deviceId],
  )
}

/** The rows of the updates that wait on a device, as its current fact tells them; only what changed is written. */
async function keepWaiting(tx: Db, deviceId: DeviceId): Promise<void> {
  await tx.query(
    `
    with told as materialized (
      select distinct on (u.name) u.name, u."from" as from_version, u."to" as to_version, u.origin, u.security, u.rating,
        u.held, to_timestamp(u.since / 1000) as since
      from current_fact f cross join jsonb_to_recordset(f.value)
        u (name text, "from" text, "to" text, origin text, security boolean, rating text, held text, since float8)
      where f.device_id = $1 and f.subject = 'waiting' order by u.name
    ), gone as (
      delete from device_update d where d.device_id = $1 and not exists (select from told t where t.name = d.name)
    ), changed as (
      update device_update d
      set from_version = t.from_version, to_version = t.to_version, origin = t.origin, security = t.security,
        rating = t.rating, held = t.held, since = t.since
      from told t where d.device_id = $1 and d.name = t.name
        and (d.from_version, d.to_version, d.origin, d.security, d.rating, d.held, d.since)
          is distinct from (t.from_version, t.to_version, t.origin, t.security, t.rating, t.held, t.since)
    )
    insert into device_update (device_id, name, from_version, to_version, origin, security, rating, held, since)
    select $1, t.* from told t
    where not exists (select from device_update d where d.device_id = $1 and d.name = t.name)`,
    [deviceId],
  )
}

async function readGateways(tx: Db, deviceId: DeviceId): Promise<void> {
  await tx.query(
    `update device d set gateways = array(select jsonb_array_elements_text(f.value)) from current_fact f
     where d.id = $1 and f.device_id = d.id and f.subject = 'gateways'`,
    [deviceId],
  )
}

async function boardUpdates(tx: Db, deviceId: DeviceId): Promise<void> {
  await tx.query(
    `update device d set ${fromUpdates} from current_fact f
     where d.id = $1 and f.device_id = d.id and f.subject = 'updates'`,
    [deviceId],
  )
}

/** Gives a device the facts of one that it was before; of each subject the newer one of both is the current one. */
export async function takeOverFacts(tx: Db, deviceId: DeviceId, from: DeviceId): Promise<void> {
  await tx.query(
    `insert into device_fact select $1, subject, at, value from device_fact where device_id = $2
     on conflict do nothing`,
    [deviceId, from],
  )
  await tx.query(
    `insert into current_fact select $1, subject, at, value from current_fact where device_id = $2
     on conflict (device_id, subject) do update set at = excluded.at, value = excluded.value
     where current_fact.at < excluded.at`,
    [deviceId, from],
  )
  for (const table of ['device_fact', 'current_fact'] as const)
    await tx.query(`delete from ${table} where device_id = $1`, [from])
  await tx.query('delete from device_service where device_id = $1', [from])
  await keepServices(tx, deviceId)
  await tx.query('delete from device_update where device_id = $1', [from])
  await keepWaiting(tx, deviceId)
  await takeOverBacklog(tx, deviceId, from)
  await boardUpdates(tx, deviceId)
  await readGateways(tx, deviceId)
  await tx.query(
    `update device d set services_read = d.services_read or o.services_read,
       disks_at = coalesce(d.disks_at, o.disks_at),
       fullest = case when d.disks_at is null then o.fullest else d.fullest end
     from device o where d.id = $1 and o.id = $2`,
    [deviceId, from],
  )
}

/** What a device told last, and when. */
export interface Told {
  facts: Facts
  times: Partial<Record<keyof Facts, Millis>>
}

/** What no watch looks at, and is too much to be kept in mind for each device. */
export const notJudged = ['waiting', 'programs'] as const satisfies readonly (keyof Facts)[]

/** Of facts, those that are kept in mind for evaluation. */
export function judgedFacts(facts: Facts): Facts {
  if (!notJudged.some((subject) => subject in facts)) return facts
  const judged = { ...facts }
  for (const subject of notJudged) delete judged[subject]
  return judged
}

/** By the primary key (device, subject): a row a subject. @param without subjects to leave out */
export async function readFactsOf(
  db: Db,
  deviceIds: readonly DeviceId[],
  without: readonly (keyof Facts)[] = notJudged,
): Promise<Map<DeviceId, Told>> {
  const found = await rows<{ device_id: DeviceId; subject: keyof Facts; at: Millis; value: never }>(
    db,
    'select device_id, subject, at, value from current_fact where device_id = any($1) and subject <> all($2)',
    [deviceIds, without],
  )
  const told = new Map(deviceIds.map((id): [DeviceId, Told] => [id, { facts: {}, times: {} }]))
  for (const row of found) {
    const of = told.get(row.device_id)!
    of.facts[row.subject] = row.value
    of.times[row.subject] = row.at
  }
  return told
}

export async function readFacts(db: Db, deviceId: DeviceId): Promise<Told> {
  return (await readFactsOf(db, [deviceId], [])).get(deviceId)!
}
