import { afterAll, beforeAll, expect, it } from 'vitest'
import type { ProcessesPage } from '#contract'
import { minute, type ProcessUse, type TopProcesses } from '#core'
import { firstRow } from '../../db'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
let agent: Agent
beforeAll(async () => {
  house = await openHouse()
  agent = await house.enrol(house.sites[0], 'tm-busy-1')
})
afterAll(() => house.close())

const use = (name: string, cpu: number, memory = 0, count = 1): ProcessUse => ({ name, cpu, memory, count })
const top = (...processes: ProcessUse[]): { top: TopProcesses } => ({ top: { took: 4.2, processes } })
const pageOf = async (of: Agent, from: number, until: number, headers?: Record<string, string>) => {
  const address = `/api/devices/${of.id}/processes?from=${from}&until=${until}`
  const { status, body } = await house.lead<ProcessesPage>('GET', address, undefined, headers)
  expect(status).toBe(200)
  return body
}

it('what ran at busy moments comes with the reports, and is told over any time, the most first', async () => {
  const first = agent.at(1)
  await agent.send([
    agent.report(1, top(use('build', 0.8, 2e9), use('web', 0.1, 5e8, 7))),
    agent.report(2),
    agent.report(3, top(use('web', 0.3, 6e8, 9))),
  ])
  const page = await pageOf(agent, first - minute, first + 10 * minute)
  expect(page).toMatchObject({ moments: 2, took: 4.2, others: 0 })
  expect(page.processes).toEqual([
    { name: 'build', cpu: 0.8, cpuAt: first, cpuMean: 0.4, memory: 2e9, memoryAt: first, count: 1, moments: 1 },
    {
      name: 'web',
      cpu: 0.3,
      cpuAt: agent.at(3),
      cpuMean: 0.2,
      memory: 6e8,
      memoryAt: agent.at(3),
      count: 9,
      moments: 2,
    },
  ])
  // Told again: the same report is one.
  await agent.send([agent.report(3, { ...top(use('web', 0.3, 6e8, 9)), seq: 3 })])
  expect((await pageOf(agent, first - minute, first + 10 * minute)).moments).toBe(2)
  expect((await pageOf(agent, first + minute, agent.at(3))).processes).toEqual([])
})

it('as of a time that is over, later moments are not known', async () => {
  const { processes, moments } = await pageOf(agent, agent.at(1) - minute, agent.at(3) + minute, {
    'accept-datetime': new Date(agent.at(2) + 1000).toISOString(),
  })
  expect([moments, processes.map(({ name }) => name)]).toEqual([1, ['build', 'web']])
})

it('one that is not as it should be costs itself alone', async () => {
  const odd = await house.enrol(house.sites[0], 'tm-busy-2')
  const many = Array.from({ length: 11 }, (_, i) => use(`p${i}`, 0.05))
  const wrong: unknown[] = [
    top(...many).top,
    top(use('twice', 0.1), use('twice', 0.1)).top,
    top(use('x', 1.1)).top,
    top(use('', 0.1)).top,
    { took: -1, processes: [] },
    { took: 1 },
    { took: 1, processes: [7, 'x', null] },
  ]
  const { status, body } = await odd.send(wrong.map((value, i) => odd.report(i + 1, { top: value as TopProcesses })))
  expect([status, body.acknowledged]).toEqual([200, wrong.length])
  expect(body.refused.map(({ seq, code, pointer }) => [seq, code, pointer])).toEqual(
    wrong.map((_, i) => [i + 1, 'top-not-valid', `/reports/${i}/top`]),
  )
  expect(await firstRow(house.pool, 'select count(*)::int as kept from report where device_id = $1', [odd.id])).toEqual(
    {
      kept: wrong.length,
    },
  )
  // As with all texts that come in: what no database takes is left out, or replaced.
  const name = '\u0000\ud800 “%s” \u202e'
  await odd.send([odd.report(wrong.length + 1, top(use(name, 0.7)))])
  expect((await pageOf(odd, odd.at(1), odd.at(20))).processes.map((process) => process.name)).toEqual([
    '\ufffd “%s” \u202e',
  ])
})

it('goes with a device that is merged into another', async () => {
  const other = await house.enrol(house.sites[0], 'tm-busy-3')
  await other.send([other.report(1, top(use('late', 0.9)))])
  const merged = await house.lead('POST', `/api/devices/${agent.id}/merge`, { from: other.id })
  expect(merged.status).toBe(200)
  const names = (await pageOf(agent, other.at(1) - minute, other.at(1) + minute)).processes.map(({ name }) => name)
  expect(names).toContain('late')
})
