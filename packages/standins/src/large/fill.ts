import { createHash } from 'node:crypto'
import pg from 'pg'
import { minute, type Millis, type Reading } from '#core'
import { osFamilyOf, seed } from '../estate'
import { SimulatedDevice } from '../fleet/simulated'
import { fillBacklog } from '../seed/backlog'
import { fillLog } from './log'
import { largeEstate } from './plan'

export interface Filled {
  /** Keys of the devices, by their number. */
  keys: Map<number, string>
  devices: Map<number, SimulatedDevice>
  /** Numbers of their newest reports, where that is not the first. */
  lastSeqs: ReadonlyMap<number, number>
  /** How much of each there is. */
  counts: { clients: number; devices: number; reports: number; events: number }
}

/** Log entries of so many days, and one report in so long of the last day. */
const daysOfLog = 30
const historyEvery: Millis = 5 * minute

const secretOf = (name: string) => createHash('sha256').update(`${seed}|${name}`).digest('hex')

function fullestOf(readings: readonly Reading[]): number {
  const sizes = new Map(readings.filter(([metric]) => metric === 'disk.size').map(([, mount, size]) => [mount, size]))
  return Math.max(
    0,
    ...readings.filter(([metric]) => metric === 'disk.free').map(([, mount, free]) => 1 - free / sizes.get(mount)!),
  )
}

/**
 * Fills a migrated database with a large estate, as its server would have left it: clients, sites, devices with their
 * facts, a day of readings, a month of log. Nothing of it is judged: alerts come when the devices report.
 * @param url of the database
 * @param eventsPerDevice log entries of a month, on average
 */
export async function fill(
  url: string,
  count: number,
  eventsPerDevice: number,
  now: Millis,
  say: (text: string) => void,
): Promise<Filled> {
  const db = new pg.Client(url)
  await db.connect()
  try {
    const estate = largeEstate(count, seed)
    const time = new Date(now).toISOString()
    say(`${estate.clients.length} clients, ${count} devices…`)
    const { rows: clients } = await db.query<{ id: number; code: string }>(
      'insert into client (name, code) select * from unnest($1::text[], $2::text[]) returning id, code',
      [estate.clients.map((client) => client.name), estate.clients.map((client) => client.code)],
    )
    const clientIds = new Map(clients.map((client) => [client.code, client.id]))
    const allSites = estate.clients.flatMap((client) =>
      client.sites.map(([name, zone]) => ({ clientId: clientIds.get(client.code)!, name, zone })),
    )
    const { rows: sites } = await db.query<{ id: number; client_id: number; name: string }>(
      `insert into site (client_id, name, zone) select * from unnest($1::int[], $2::text[], $3::text[])
       returning id, client_id, name`,
      [allSites.map((site) => site.clientId), allSites.map((site) => site.name), allSites.map((site) => site.zone)],
    )
    const siteIds = new Map(sites.map((site) => [`${site.client_id}/${site.name}`, site.id]))
    const simulated = estate.devices.map((plan) => new SimulatedDevice(plan, seed, now))
    const { rows: made } = await db.query<{ id: number; name: string }>(
      `insert into device (client_id, site_id, name, kind, os_family, os_name, roles, key_digest, interval_ms,
         reported_interval_ms, agent_version, starts_at_boot, takes_tasks, updatable, last_seq, first_at, last_at, heard_at)
       select d.client, d.site, d.name, d.kind, d.family, d.os, string_to_array(d.roles, ','), d.digest, 60000, 60000,
         '0.6.0', true, d.family = 'linux', d.family = 'linux', 1, $9::timestamptz - interval '30 days',
         $9::timestamptz - interval '30 seconds', $9::timestamptz - interval '30 seconds'
       from unnest($1::int[], $2::int[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::bytea[])
         d (client, site, name, kind, family, os, roles, digest)
       returning id, name`,
      [
        estate.devices.map((plan) => clientIds.get(plan.client)!),
        estate.devices.map((plan) => siteIds.get(`${clientIds.get(plan.client)!}/${plan.site}`)!),
        estate.devices.map((plan) => plan.name),
        estate.devices.map((plan) => plan.kind),
        estate.devices.map((plan) => osFamilyOf(plan)),
        estate.devices.map((plan) => plan.os),
        estate.devices.map((plan) => plan.roles.join(',')),
        estate.devices.map((plan) => createHash('sha256').update(secretOf(plan.name)).digest()),
        time,
      ],
    )
    const ids = new Map(made.map((row) => [row.name, row.id]))
    const devices = new Map(simulated.map((device) => [ids.get(device.plan.name)!, device]))

    say('facts…')
    for (let from = 0; from < simulated.length; from += 500) {
      const rows = simulated
        .slice(from, from + 500)
        .flatMap((device) =>
          Object.entries(device.facts(now)).map(
            ([subject, value]) => [ids.get(device.plan.name)!, subject, JSON.stringify(value)] as const,
          ),
        )
      await db.query(
        `insert into device_fact (device_id, subject, at, value)
         select id, subject, $4::timestamptz - interval '1 day', value
         from unnest($1::int[], $2::text[], $3::jsonb[]) f (id, subject, value)`,
        [rows.map(([id]) => id), rows.map(([, subject]) => subject), rows.map(([, , value]) => value), time],
      )
    }
    await db.query('insert into current_fact select device_id, subject, at, value from device_fact')
    await db.query(
      `insert into device_service (device_id, name, title, start, state, account, since)
       select f.device_id, s.name, s.title, s.start, s.state, s.account, to_timestamp(s.since / 1000)
       from current_fact f cross join jsonb_to_recordset(f.value)
         s (name text, title text, start text, state text, account text, since float8)
       where f.subject = 'services'`,
    )
    await db.query(
      `insert into device_update (device_id, name, from_version, to_version, origin, security, rating, held, since)
       select f.device_id, u.name, u."from", u."to", u.origin, u.security, u.rating, u.held, to_timestamp(u.since / 1000)
       from current_fact f cross join jsonb_to_recordset(f.value)
         u (name text, "from" text, "to" text, origin text, security boolean, rating text, held text, since float8)
       where f.subject = 'waiting'`,
    )
    say('what updates waited in 90 days…')
    await fillBacklog(db, devices, now)
    await db.query(
      `update device d set services_read = true, security_updates = (f.value->>'security')::int,
         other_updates = (f.value->>'other')::int, updates_known = coalesce(f.value->'listsAt', '0') <> 'null',
         oldest_security_at = to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000)
       from current_fact f where f.device_id = d.id and f.subject = 'updates'`,
    )

    say(`readings of a day, one report in ${historyEvery / minute} min…`)
    await db.query('create temp table base (id int primary key, layout int, value float8[], fullest real)')
    const layouts = new Map<string, number>()
    const base: [number, number, string, number][] = []
    for (const device of simulated) {
      const readings = device.readings(now)
      const series = JSON.stringify(readings.map(([metric, instance]) => [metric, instance]))
      let layout = layouts.get(series)
      if (layout === undefined) {
        const { rows } = await db.query<{ id: number }>(
          'insert into layout (digest, series) values ($1, $2) returning id',
          [createHash('sha256').update(series).digest(), series],
        )
        layouts.set(series, (layout = rows[0]!.id))
      }
      const value = `{${readings.map((reading) => reading[2]).join()}}`
      base.push([ids.get(device.plan.name)!, layout, value, fullestOf(readings)])
    }
    await db.query(
      `insert into base select id, layout, value::float8[], fullest
       from unnest($1::int[], $2::int[], $3::text[], $4::real[]) b (id, layout, value, fullest)`,
      [
        base.map(([id]) => id),
        base.map(([, layout]) => layout),
        base.map(([, , value]) => value),
        base.map(([, , , fullest]) => fullest),
      ],
    )
    await db.query('update device d set disks_at = $1, fullest = b.fullest from base b where b.id = d.id', [time])
    // A value wanders a little around what it is now.
    const { rowCount: reports } = await db.query(
      `insert into report (device_id, at, seq, received_at, late, layout_id, value)
       select b.id, t, 0, t, false, b.layout,
         (select array_agg(v * (0.97 + 0.03 * sin(extract(epoch from t) / 5000 + b.id)) order by n)
          from unnest(b.value) with ordinality u (v, n))
       from base b, generate_series($1::timestamptz - interval '1 day', $1, $2::interval) t`,
      [time, `${historyEvery} milliseconds`],
    )

    say(`${(count * eventsPerDevice).toLocaleString('en')} log entries of ${daysOfLog} days…`)
    await fillLog(db, eventsPerDevice, daysOfLog, time)
    say('statistics…')
    await db.query('analyze')
    return {
      keys: new Map([...ids].map(([name, id]) => [id, `cdk.${id}.${secretOf(name)}`])),
      devices,
      lastSeqs: new Map(),
      counts: { clients: clients.length, devices: count, reports: reports ?? 0, events: count * eventsPerDevice },
    }
  } finally {
    await db.end()
  }
}

/** What an earlier run filled, to go on with; null: the database is empty. */
export async function reopen(url: string, now: Millis): Promise<Filled | null> {
  const db = new pg.Client(url)
  await db.connect()
  try {
    const { rows } = await db.query<{ id: number; name: string; last_seq: string; clients: number }>(
      `select id, name, last_seq, (select count(*) from client)::int as clients from device
       where retired_at is null order by id`,
    )
    if (!rows.length) return null
    const plans = new Map(largeEstate(rows.length, seed).devices.map((plan) => [plan.name, plan]))
    const known = rows.filter(({ name }) => plans.has(name))
    return {
      keys: new Map(known.map(({ id, name }) => [id, `cdk.${id}.${secretOf(name)}`])),
      devices: new Map(known.map(({ id, name }) => [id, new SimulatedDevice(plans.get(name)!, seed, now)])),
      lastSeqs: new Map(known.map(({ id, last_seq }) => [id, Number(last_seq)])),
      counts: { clients: rows[0]!.clients, devices: rows.length, reports: 0, events: 0 },
    }
  } finally {
    await db.end()
  }
}
