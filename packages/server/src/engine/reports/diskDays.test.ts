import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, WhyPage } from '#contract'
import { day, gigabyte, hour, minute, type Reading } from '#core'
import { packReadings } from '../packing'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

const now = Date.now()
const today = Math.floor(now / day) * day

describe('a disk that fills from day to day', () => {
  let house: House
  let fills: Agent
  let steady: Agent
  beforeAll(async () => {
    house = await openHouse()
    fills = await house.enrol(house.sites[0], 'tm-fills-1')
    steady = await house.enrol(house.sites[1], 'bb-steady-1')
    for (const [agent, perDay] of [
      [fills, 20],
      [steady, 0],
    ] as const)
      for (let ago = 10; ago > 0; ago--)
        await agent.send([1, 12].map((at) => report(agent, today - ago * day + at * hour, 60 + perDay * ago)))
  })
  afterAll(() => house.close())

  const report = (agent: Agent, at: number, free: number) => ({
    ...agent.report(0),
    at,
    readings: [
      ['disk.size', '/', 1000 * gigabyte],
      ['disk.free', '/', free * gigabyte],
    ] as Reading[],
  })
  const alertsOf = async ({ id }: Agent) =>
    (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts?limit=50`)).body

  it('is told by when it will be full, once its days are summed up', async () => {
    await assignToAll(house, {
      name: 'Disks',
      description: '',
      includes: [],
      watches: [
        {
          key: 'filling',
          kind: 'disk-space',
          name: 'Disks that fill',
          why: '',
          osFamilies: [],
          values: {
            'warning.percent': null,
            'warning.bytes': null,
            'critical.percent': null,
            'critical.bytes': null,
            'warning.soon': 5 * day,
            hold: 0,
          },
        },
      ],
    })
    // Nothing is known of its days yet.
    await fills.send([report(fills, now - 3 * minute, 60)])
    expect(await alertsOf(fills)).toEqual([])
    await packReadings(house.pool, now, async () => undefined)
    // What is kept in memory was read before: another change makes it read them.
    await house.pool.query('update device set version = version + 1')
    await fills.send([report(fills, now - 2 * minute, 60)])
    await steady.send([report(steady, now - 2 * minute, 60)])
    const [alert] = await alertsOf(fills)
    expect(alert).toMatchObject({
      watch: 'filling',
      instance: '/',
      severity: 'warning',
      evidence: { text: '6 % and 60 GB free of 1 TB, full in 3 days' },
    })
    expect(await alertsOf(steady)).toEqual([])
    const path = (agent: Agent) => `/api/devices/${agent.id}/why?watch=filling&instance=/`
    const why = async (agent: Agent) => (await house.lead<WhyPage>('GET', path(agent))).body.steps
    expect((await why(fills)).find(({ code }) => code === 'failing')?.text).toBe(alert!.evidence!.text)
    expect((await why(steady)).map(({ code }) => code)).toEqual(['watched', 'well', 'no-alert'])
  })
})
