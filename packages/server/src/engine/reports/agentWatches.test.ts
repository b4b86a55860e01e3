import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView } from '#contract'
import { hour, minute, type WatchSpec } from '#core'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

// What only the server sees of an agent: how far its clock is off, what was lost, that its machine was started anew.
let house: House
let count = 0
const watch = (key: string, values: WatchSpec['values'] = {}): WatchSpec => ({
  key,
  kind: key,
  name: key,
  why: '',
  osFamilies: [],
  values,
})
beforeAll(async () => {
  house = await openHouse()
  await assignToAll(house, {
    name: 'Agents',
    description: '',
    includes: [],
    watches: [watch('clock-off', { hold: 0 }), watch('reports-lost'), watch('restarted')],
  })
})
afterAll(() => house.close())
const fresh = () => house.enrol(house.sites[0], `tm-watched-${++count}`)
const openOf = async (agent: Agent) =>
  (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    .filter(({ status }) => status !== 'closed')
    .map(({ watch, severity, evidence }) => `${watch} ${severity}: ${evidence?.text}`)

describe('what is watched of an agent', () => {
  it('a clock that is off is told, and put right clears', async () => {
    const agent = await fresh()
    const ahead = 3 * hour
    await agent.send([agent.report(0, { at: Date.now() + ahead })], { sentAt: Date.now() + ahead })
    expect(await openOf(agent)).toEqual(['clock-off critical: its clock is 3 h ahead'])
    await agent.send([agent.report(1)])
    expect(await openOf(agent)).toEqual([])
  })
  it('reports that are lost are told with their number, also where the one behind them was refused', async () => {
    const agent = await fresh()
    const [one, , , four, five] = [1, 2, 3, 4, 5].map((minutes) => agent.report(minutes))
    await agent.send([one!, { ...four!, interval: 'nonsense' as unknown as number }, five!])
    expect(await openOf(agent)).toEqual(['reports-lost warning: 2 reports of its agent were lost for good'])
  })
  it('a restart is told', async () => {
    const agent = await fresh()
    await agent.send([agent.report(1, { readings: [['uptime', '', (9 * 24 * hour) / 1000]] })])
    expect(await openOf(agent)).toEqual([])
    await agent.send([agent.report(2, { readings: [['uptime', '', (2 * minute) / 1000]] })])
    expect(await openOf(agent)).toEqual(['restarted warning: started 2 min before'])
  })
})
