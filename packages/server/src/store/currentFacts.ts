import type { DeviceId, Facts, Millis } from '#core'
import { rows, time, type Db } from '../db'

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
  if (last.has('updates')) await boardUpdates(tx, deviceId)
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

/** By the primary key (device, subject): a row a subject. */
export async function readFactsOf(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, Told>> {
  const found = await rows<{ device_id: DeviceId; subject: keyof Facts; at: Millis; value: never }>(
    db,
    'select device_id, subject, at, value from current_fact where device_id = any($1)',
    [deviceIds],
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
  return (await readFactsOf(db, [deviceId])).get(deviceId)!
}
