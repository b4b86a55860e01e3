import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertView, DeviceWindows, RetiredList, WaiverList } from '#contract'
import { hour } from '#core'
import { openHouse, type Agent, type House } from '../testing/house'

// Lists that grow with the years come in parts, and no part loses or repeats anything.
let house: House
let agent: Agent
beforeAll(async () => {
  house = await openHouse()
  agent = await house.enrol(house.sites[0], 'tm-quay-1', { roles: ['web'] })
})
afterAll(() => house.close())

it('of alerts of a device: the open ones first, however old, then those that are over', async () => {
  await house.pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
       close_reason, rule)
     select $1, $2, 'disk', i::text, 'notice', case when i in (2, 5) then 'open' else 'closed' end, now(), now(),
       case when i in (2, 5) then null else now() end, case when i in (2, 5) then null else 'cleared' end,
       '{"kind":"disk-space","name":"Disk","sentence":[],"sources":[]}' from generate_series(1, 9) i order by i`,
    [agent.id, house.clients[0]],
  )
  const part = async (query: string) =>
    (await house.technician<AlertView[]>('GET', `/api/devices/${agent.id}/alerts?limit=3${query}`)).body
  const parts = [await part('')]
  while (parts.at(-1)!.length >= 3) parts.push(await part(`&before=${parts.at(-1)!.at(-1)!.id}`))
  expect(parts.map((rows) => rows.map((alert) => alert.instance).join(' '))).toEqual(['5 2 9 8 7', '6 4 3', '1'])
})

it('of devices out of use, also those of one moment, narrowed by client and name', async () => {
  const names = ['tm-a', 'tm-b', 'tm-c', 'bb-d', 'tm_e']
  for (const name of names) await house.enrol(house.sites[name.startsWith('bb') ? 1 : 0], name)
  await house.pool.query(`update device set retired_at = '2026-02-03 04:05:06.789123Z' where name = any($1)`, [names])
  const part = async (query: string) => (await house.lead<RetiredList>('GET', `/api/retired-devices?${query}`)).body
  const first = await part('limit=3')
  const second = await part(`limit=3&after=${encodeURIComponent(first.next!)}`)
  expect([first.total, first.devices.length, second.next]).toEqual([5, 3, null])
  expect([...first.devices, ...second.devices].map(({ name }) => name).sort()).toEqual([...names].sort())
  expect((await part(`client=${house.clients[1]}`)).devices.map(({ name }) => name)).toEqual(['bb-d'])
  // No sign is a wildcard.
  expect((await part('words=M_')).devices.map(({ name }) => name)).toEqual(['tm_e'])
})

it('of what was said not to be needed', async () => {
  await house.pool.query(
    `insert into coverage_waiver (device_id, need, instance, reason)
     select $1, 'web.port', 'port ' || i, 'No need.' from generate_series(1, 205) i`,
    [agent.id],
  )
  const found: string[] = []
  let after = ''
  for (let i = 0; i < 3; i++) {
    const list = (await house.technician<WaiverList>('GET', `/api/coverage/waivers?${after}`)).body
    expect(list.total).toBe(205)
    found.push(...list.waivers.map(({ instance }) => instance))
    expect(list.next === null).toBe(i === 2)
    after = `after=${list.next}`
  }
  expect(new Set(found).size).toBe(205)
  expect((await house.technician('GET', '/api/coverage/waivers?after=nonsense')).body.code).toBe('invalid')
  const odd = Buffer.from(JSON.stringify([1, 1, 'a\0', ''])).toString('base64url')
  expect((await house.technician('GET', `/api/coverage/waivers?after=${odd}`)).body.code).toBe('invalid')
})

it('of windows of a device: all that are open or to come, though hundreds that are over began later', async () => {
  const window = (from: number, until: number | null, name: string) =>
    house.technician('POST', '/api/windows', {
      name,
      reason: '',
      target: { on: 'devices', deviceIds: [agent.id] },
      subject: { of: 'all' },
      from: Date.now() + from,
      until: until && Date.now() + until,
    })
  expect((await window(0, null, 'until further notice')).status).toBe(200)
  for (let i = 0; i < 3; i++) await window(hour, 2 * hour, `tomorrow ${i}`)
  await house.pool.query(
    `with made as (
       insert into window_revision (id, revision, name, reason, client_id, target, subject, starts, length_ms, created_at)
       select 10000 + i, 1, 'over ' || i, '', $1, $2, '{"of":"all"}', '2026-01-01T00:00:00', 600000, now()
       from generate_series(1, 510) i returning id
     )
     insert into window_occurrence (window_id, start, from_at, until_at, known, begun, over)
     select id, f, f, f + interval '10 minutes', true, true, true
     from made, lateral (select now() - (id - 10000) * interval '1 hour' as f) t`,
    [house.clients[0], JSON.stringify({ on: 'devices', deviceIds: [agent.id] })],
  )
  const part = async (query: string) =>
    (await house.technician<DeviceWindows>('GET', `/api/devices/${agent.id}/windows${query}`)).body
  const first = await part('')
  expect(first.windows).toHaveLength(504)
  expect(first.windows.filter(({ name }) => !name.startsWith('over')).map(({ name }) => name)).toContain(
    'until further notice',
  )
  const second = await part(`?after=${encodeURIComponent(first.next!)}`)
  expect([second.windows.map(({ name }) => name), second.next]).toEqual([
    Array.from({ length: 10 }, (_, i) => `over ${501 + i}`),
    null,
  ])
})
