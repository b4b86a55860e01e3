import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertCompanion } from '#contract'
import { hour, minute } from '#core'
import { time } from '../../db'
import { openHouse, type House } from '../../testing/house'

let house: House
const newest = new Map<string, number>()
const now = Date.now()
beforeAll(async () => {
  house = await openHouse()
  const ids = new Map<string, number>()
  for (const [name, site] of [
    ['tm-orders', 0],
    ['tm-db', 0],
    ['tm-far', 1],
  ] as const)
    ids.set(name, (await house.enrol(house.sites[site], name)).id)
  const add = async (device: string, instance: string, ago: number) => {
    const { rows } = await house.pool.query<{ id: number }>(
      `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at, close_reason, rule)
       select id, client_id, 'services', $2, 'critical', 'closed', $3, $3, now(), 'cleared',
         '{"name":"Services","kind":"service-state","sentence":[],"sources":[]}' from device where id = $1 returning id`,
      [ids.get(device), instance, time(now - ago)],
    )
    newest.set(`${device} ${instance}`, rows[0]!.id)
  }
  // The oldest first, so that the newest of each stands last.
  for (const ago of [400, 300, 200, 100].map((hours) => hours * hour)) {
    await add('tm-orders', 'orders', ago)
    await add('tm-db', 'postgresql', ago + 2 * minute)
    // Another client's, at the same moments.
    await add('tm-far', 'elsewhere', ago)
  }
  await add('tm-orders', 'nginx', 100 * hour)
})
afterAll(() => house.close())

const companions = async (of: string) =>
  (await house.technician<AlertCompanion[]>('GET', `/api/alerts/${newest.get(of)!}/companions`)).body

it('what begins together with a post at its site, again and again, is told with how often and when', async () => {
  expect(await companions('tm-orders orders')).toEqual([
    {
      alertId: newest.get('tm-db postgresql'),
      deviceId: expect.any(Number) as number,
      deviceName: 'tm-db',
      about: 'postgresql',
      severity: 'critical',
      together: 4,
      of: 4,
      later: -2 * minute,
    },
  ])
  expect((await companions('tm-db postgresql')).map(({ about, later }) => [about, later])).toEqual([
    ['orders', 2 * minute],
  ])
  expect(await companions('tm-orders nginx')).toEqual([])
})
