import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView } from '#contract'
import { hour, minute, type WatchSpec } from '#core'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

// What only the server sees of an agent: how far its clock is off, what was lost, that its machine was started anew.
let house: House
const folder = mkdtempSync(join(tmpdir(), 'custode-agents-'))
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
  writeFileSync(join(folder, 'version'), '0.14.0\n')
  house = await openHouse(folder)
  await assignToAll(house, {
    name: 'Agents',
    description: '',
    includes: [],
    watches: [
      watch('clock-off', { hold: 0 }),
      watch('reports-lost'),
      watch('restarted'),
      watch('agent-behind', { after: 0 }),
    ],
  })
})
afterAll(async () => {
  await house.close()
  rmSync(folder, { recursive: true })
})
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
  it('one that is older than new machines get is told', async () => {
    const agent = await fresh()
    const of = (minutes: number, agentVersion: string) =>
      agent.report(minutes, {
        facts: {
          system: {
            osFamily: 'linux',
            osName: 'Debian 12',
            hostName: 'tm-old',
            cores: 2,
            serviceManager: 'systemd',
            agentVersion,
          },
        },
      })
    await agent.send([of(1, '0.9.0')])
    expect(await openOf(agent)).toEqual(['agent-behind notice: its agent is 0.9.0, and 0.14.0 has been there for 0 s'])
    await agent.send([of(2, '0.14.0')])
    expect(await openOf(agent)).toEqual([])
  })
})
