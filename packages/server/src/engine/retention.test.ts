import { afterAll, beforeAll, expect, it } from 'vitest'
import type { Storage, StorageKind } from '#contract'
import { day } from '#core'
import { ensurePartitions } from '../db'
import { openHouse, type House } from '../testing/house'
import { packReadings } from './packing'
import { applyRetention, dailyRetention } from './retention'

let house: House
beforeAll(async () => {
  house = await openHouse()
  // Weeks that a server which has run for long still has.
  for (let back = 0; back < 500; back += 28) await ensurePartitions(house.pool, Date.now() - back * day)
  await fill()
}, 180_000)
afterAll(() => house.close())

const ages = [1, 20, 40, 120, 300, 450, 1200]
/** One of each, so many days old, as far as there are partitions. */
async function fill(): Promise<void> {
  const { pool } = house
  const { id } = await house.enrol(house.sites[0], 'tm-old')
  const rule = `'{"name":"R","kind":"disk-space","sentence":[],"sources":[]}'`
  const at = `now() - age * interval '1 day'`
  const old = `unnest(array[${ages.join()}]) age`
  const dated = `unnest(array[${ages.filter((age) => age < 460).join()}]) age`
  await pool.query(
    `insert into report select ${id}, ${at}, age, now(), true, 1, '{1}' from ${dated};
     insert into log_event select ${id}, ${at}, age, level, 'syslog', 's', null, level, 'x', 0
       from ${dated}, unnest(array[3, 6]) level;
     insert into post_change select ${id}, ${at}, 'w', '', 'raised', null, 'warning', now(), null, 1 from ${dated};
     insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at, close_reason, rule)
       select ${id}, 1, 'w' || age, '', 'warning', 'closed', ${at}, ${at}, ${at}, 'cleared', ${rule} from ${old};
     insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, rule)
       select ${id}, 1, 'open', '', 'warning', 'open', ${at}, ${at}, ${rule} from unnest(array[1200]) age;
     insert into alert_entry (alert_id, at, event) select id, began, 'raised' from alert;
     insert into held (window_id, device_id, client_id, watch, instance, severity, began, held_at, ended_at, outcome, rule)
       select 1, ${id}, 1, 'w' || age, '', 'warning', ${at}, ${at}, ${at}, 'cleared', ${rule} from ${old};
     insert into device_fact select ${id}, 'ports', ${at}, '[]' from ${old};
     delete from device_past where device_id = ${id};
     insert into device_past select ${id}, ${at}, 'tm-old', 1, 1, 'server', 'linux', '', '{}', '{}', '{}', false from ${old};
     insert into current_fact select ${id}, 'ports', ${at}, '[]' from unnest(array[1200]) age;
     insert into audit (at, action, object_kind) select ${at}, 'made', 'window' from ${old};
     delete from enrolment_attempt;
     insert into enrolment_attempt (at, name, os_name, address, clock_offset_ms, outcome, reason)
       select ${at}, 'x', '', '', 0, 'refused', '' from ${old};`,
  )
}

const countOf = async (from: string) =>
  Number((await house.pool.query<{ n: number }>(`select count(*) as n from ${from}`)).rows[0]!.n)

it('each kind is kept as long as is said, by the week where it is dropped by the week, and what is in use for ever', async () => {
  await expect(applyRetention(house.pool, Date.now())).rejects.toThrow('Not all reports')
  // All but what is too old to be kept packed.
  expect(await countOf('report')).toBe(5)
  await packReadings(house.pool, Date.now(), async () => undefined)
  await applyRetention(house.pool, Date.now())
  // 14 days, and the week in which they end.
  expect(await countOf('report')).toBeGreaterThanOrEqual(1)
  expect(await countOf(`report where at < now() - interval '21 days'`)).toBe(0)
  expect(await countOf(`packed where day > now() - interval '400 days'`)).toBe(5)
  expect(await countOf(`packed where day < now() - interval '432 days'`)).toBe(0)
  expect(await countOf('log_event where level = 6')).toBe(2)
  expect(await countOf(`log_event where level = 3 and at > now() - interval '90 days'`)).toBe(3)
  expect(await countOf(`log_event where at < now() - interval '97 days'`)).toBe(0)
  expect(await countOf(`post_change where at > now() - interval '400 days'`)).toBe(5)
  expect(await countOf(`alert where status = 'closed'`)).toBe(5)
  expect(await countOf(`alert where status = 'open'`)).toBe(1)
  expect(await countOf(`alert_entry e where not exists (select from alert a where a.id = e.alert_id)`)).toBe(0)
  expect(await countOf('alert_entry')).toBe(6)
  expect(await countOf('held')).toBe(5)
  expect(await countOf('device_fact')).toBe(4)
  expect(await countOf('current_fact')).toBe(1)
  // And what held when the oldest of them began.
  expect(await countOf('device_past')).toBe(6)
  expect(await countOf(`audit where action = 'made' and object_kind = 'window'`)).toBe(6)
  expect(await countOf('enrolment_attempt')).toBe(4)
  // Doing it again changes nothing.
  const before = await countOf('audit')
  await applyRetention(house.pool, Date.now())
  expect(await countOf('audit')).toBe(before)
})

it('a lead of all says how long, in one place; not less than the product needs, and nobody else', async () => {
  const { ask } = await house.personWith('lead', [house.clients[0]])
  for (const who of [house.technician, house.contact, ask]) {
    expect((await who('GET', '/api/storage')).status).toBe(403)
    expect((await who('PUT', '/api/storage', { kind: 'audit', days: 100 })).status).toBe(403)
  }
  expect((await house.lead('PUT', '/api/storage', { kind: 'readings', days: 7 })).body.code).toBe('invalid')
  expect((await house.lead('PUT', '/api/storage', { kind: 'audit', days: 100 })).status).toBe(200)
  await applyRetention(house.pool, Date.now())
  expect(await countOf(`audit where object_kind = 'window'`)).toBe(3)
})

it('tells how large each kind is, and how it grew since a week ago', async () => {
  await house.pool.query(`insert into storage_sample values (current_date - 5, 'audit', 0)`)
  await house.pool.query('analyze')
  const { databaseBytes, kinds } = (await house.lead<Storage>('GET', '/api/storage')).body
  const of = (kind: StorageKind) => kinds.find((each) => each.kind === kind)!
  const { rows } = await house.pool.query<{ bytes: string }>(`select pg_total_relation_size('audit') as bytes`)
  expect(of('audit')).toMatchObject({ days: 100, standardDays: 1100, bytes: Number(rows[0]!.bytes) })
  expect(of('audit').bytesPerDay).toBe(Number(rows[0]!.bytes) / 5)
  expect(of('facts').bytesPerDay).toBeNull()
  expect(of('alerts').rows).toBe(5 + 1 + 6 + 5 + 6 + 2)
  expect(databaseBytes).toBeGreaterThan(kinds.reduce((sum, { bytes }) => sum + bytes, 0))
  // Of what is kept in weeks, the beginning of the oldest week.
  expect(Date.now() - of('readings').oldestAt!).toBeLessThan(50 * day)
})

it('is done once a day, also where servers are started anew again and again', async () => {
  const old = () =>
    house.pool.query(`insert into audit (at, action, object_kind) values (now() - interval '2000 days', 'old', 'x')`)
  await house.pool.query('delete from storage_sample')
  await old()
  await dailyRetention(house.pool, Date.now())
  expect(await countOf(`audit where action = 'old'`)).toBe(0)
  await old()
  await dailyRetention(house.pool, Date.now())
  expect(await countOf(`audit where action = 'old'`)).toBe(1)
})
