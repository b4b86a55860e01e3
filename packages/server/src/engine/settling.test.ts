import { afterAll, beforeAll, expect, it } from 'vitest'
import { fromLibrary, libraryTemplates } from '#core'
import { openHouse, type House } from '../testing/house'
import { settleDue } from './settling'

let house: House
let templateId: number
let assignmentId: number
const many = 60
beforeAll(async () => {
  house = await openHouse()
  const base = fromLibrary(libraryTemplates.find(({ name }) => name === 'Base server')!)
  templateId = (await house.lead<{ id: number }>('POST', '/api/templates', base)).body.id
  assignmentId = await assign()
  // Devices with an open alert of a watch that only this template brings.
  await house.pool.query(
    `insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest, last_seq, heard_at)
     select $1, $2, 'many-' || i, 'server', 'linux', '', '\\x00', 1, now() from generate_series(1, $3) i`,
    [house.clients[0], house.sites[0], many],
  )
}, 180_000)
afterAll(() => house.close())

async function assign(): Promise<number> {
  const target = { on: 'kind', kind: 'server' }
  const body = { templateId, target, rank: 100, values: {}, dormant: false, reason: '' }
  return (await house.lead<{ id: number }>('POST', '/api/assignments', body)).body.id
}
const openAlerts = async () =>
  Number((await house.pool.query<{ n: string }>(`select count(*) as n from alert where status <> 'closed'`)).rows[0]!.n)
const waiting = async () =>
  Number((await house.pool.query<{ n: string }>('select count(*) as n from settle_due')).rows[0]!.n)
async function raiseOnAll(): Promise<void> {
  const { key } = libraryTemplates.find(({ name }) => name === 'Base server')!.watches[0]!
  await house.pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, rule)
     select id, client_id, $1, '', 'warning', 'open', now(), now(),
       '{"name":"R","kind":"disk-space","sentence":[],"sources":[]}' from device where name like 'many-%'`,
    [key],
  )
}

it('a change that reaches many outdates all at once, and their alerts follow in batches after it', async () => {
  await raiseOnAll()
  const before = await house.pool.query<{ version: number }>(`select sum(version)::int as version from device`)
  expect((await house.lead('DELETE', `/api/assignments/${assignmentId}`)).status).toBe(200)
  const after = await house.pool.query<{ version: number }>(`select sum(version)::int as version from device`)
  expect(after.rows[0]!.version).toBe(before.rows[0]!.version + many)
  expect([await openAlerts(), await waiting()]).toEqual([many, many])
  // Two processes at once: each device is settled by one of them.
  const settled = await Promise.all([settleDue(house.pool, Date.now()), settleDue(house.pool, Date.now())])
  expect(settled.reduce((a, b) => a + b)).toBeLessThanOrEqual(many)
  expect([await openAlerts(), await waiting()]).toEqual([0, 0])
  const { rows } = await house.pool.query<{ close_reason: string; n: number }>(
    'select close_reason, count(*)::int as n from alert group by 1',
  )
  expect(rows).toEqual([{ close_reason: 'unwatched', n: many }])
})

it('one that cannot be settled costs only itself, and waits its turn again', async () => {
  assignmentId = await assign()
  await raiseOnAll()
  await house.lead('DELETE', `/api/assignments/${assignmentId}`)
  await house.pool.query(`create function refuse() returns trigger language plpgsql as
    $$ begin raise 'not this one'; end $$`)
  await house.pool.query(`create trigger refuse before update on device for each row when (new.name = 'many-7')
    execute function refuse()`)
  await expect(settleDue(house.pool, Date.now())).rejects.toThrow(/1 devices failed/)
  expect([await openAlerts(), await waiting()]).toEqual([1, 1])
  await house.pool.query('drop trigger refuse on device')
  await house.pool.query('update settle_due set since = now()')
  expect(await settleDue(house.pool, Date.now())).toBe(1)
  expect([await openAlerts(), await waiting()]).toEqual([0, 0])
})
