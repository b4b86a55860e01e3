import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertTimeline, BoardPage, DevicePage, WhyPage } from '#contract'
import { day, hour, minute, type Reading } from '#core'
import { rows } from '../../db'
import { packReadings } from '../../engine/packing'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

let house: House
let agent: Agent
let cookie: string
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  ;({ cookie } = await house.personWith('lead', null))
  agent = await house.enrol(house.sites[0], 'tm-long-ago')
})
afterAll(() => house.close())

const up = (m: number): Reading => ['uptime', '', m < 25 ? 90_000 + m * 60 : (m - 25) * 60 + 10]
const disks = (m: number): Reading[] => [
  ['disk.size', '/', 100e9],
  ['disk.free', '/', m < 20 ? 60e9 : 4e9],
]

it('what was read long ago is told as it was, once no report of that time is kept as it came', async () => {
  // Disks are read with every tenth report at first, and with each once they fill.
  const reports = Array.from({ length: 46 }, (_, m) =>
    agent.report(m, {
      readings: [['cpu.busy', '', m / 100], up(m), ...(m % 10 === 0 || m > 20 ? disks(m) : [])] as never,
    }),
  )
  expect((await agent.send(reports)).status).toBe(200)
  const ask = async <T>(url: string, m: number): Promise<T> => {
    const response = await house.app.inject({
      url,
      headers: { cookie, 'accept-datetime': new Date(agent.at(m) + 30_000).toISOString() },
    })
    expect(response.statusCode, response.body.slice(0, 300)).toBe(200)
    return response.json<T>()
  }
  const [alert] = await rows<{ id: number }>(house.pool, 'select id from alert where device_id = $1', [agent.id])
  const told = async () => {
    const [device] = (await ask<BoardPage>('/api/devices', 35)).devices.filter(({ id }) => id === agent.id)
    const page = await ask<DevicePage>(`/api/devices/${agent.id}`, 15)
    const { body: why } = await house.lead<WhyPage>(
      'GET',
      `/api/devices/${agent.id}/why?watch=disk-space&instance=${encodeURIComponent('/')}&at=${agent.at(30) + 30_000}`,
    )
    const { body: timeline } = await house.lead<AlertTimeline>('GET', `/api/alerts/${alert!.id}/timeline`)
    return {
      disks: device!.disks,
      silent: device!.silent,
      latest: page.latest && { ...page.latest, readings: page.latest.readings.toSorted() },
      why: why.steps.map(({ code }) => code),
      timeline: timeline.items.filter(({ kind }) => kind === 'restarted'),
    }
  }
  const before = await told()
  expect(before).toMatchObject({ disks: [{ mount: '/', free: 4e9 }], silent: false })
  expect(before.latest!.readings).toContainEqual(['disk.free', '/', 60e9])
  expect(before.timeline).toHaveLength(1)
  await packReadings(house.pool, Date.now() + 4 * hour, async () => undefined)
  await house.pool.query('delete from report')
  expect(await told()).toEqual(before)
  // Before it reported there was nothing to tell.
  expect((await ask<BoardPage>('/api/devices', -2 * 60)).devices.filter(({ id }) => id === agent.id)).toEqual([])
})

it('and what was read on the evening before is told in the first hours of a day, too', async () => {
  const night = await house.enrol(house.sites[0], 'tm-midnight')
  const midnight = Math.floor((Date.now() - 3 * day) / day) * day
  const at = (m: number, readings: Reading[]) => ({ ...night.report(0), at: midnight + m * minute, readings })
  const sent = await night.send([
    at(-15, [...disks(0), up(1)]),
    at(-10, [up(6)]),
    at(-1, [['cpu.busy', '', 0.3], up(15)]),
    at(4, [['cpu.busy', '', 0.4], up(20)]),
  ])
  expect(sent.status).toBe(200)
  const told = async (m: number) => {
    const headers = { cookie, 'accept-datetime': new Date(midnight + m * minute).toISOString() }
    const { latest } = (await house.app.inject({ url: `/api/devices/${night.id}`, headers })).json<DevicePage>()
    return { ...latest, readings: latest!.readings.toSorted() }
  }
  const before = [await told(-2), await told(5)]
  expect(before[1]!.readings).toEqual([['cpu.busy', '', 0.4], ...disks(0).toSorted(), up(20)].toSorted())
  await packReadings(house.pool, Date.now(), async () => undefined)
  await house.pool.query('delete from report')
  expect([await told(-2), await told(5)]).toEqual(before)
})
