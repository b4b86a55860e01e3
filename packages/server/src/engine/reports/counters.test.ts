import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, TemplatePage } from '#contract'
import type { CountersTold, Service, Values, WatchSpec } from '#core'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

// What agents are asked to read of programs, and what comes of what they tell.
let house: House
let templateId: number
let count = 0
const watch = (key: string, kind: string, values: Values): WatchSpec => ({
  key,
  kind,
  name: key,
  why: '',
  osFamilies: [],
  values,
})
const watches = [
  watch('nginx', 'program-counters', { program: 'nginx', checks: 1 }),
  watch('apache', 'program-counters', { program: 'apache', checks: 1 }),
  watch('busy', 'counter-number', { counters: ['nginx: connections'], warning: 500, hold: 0, 'clear.hold': 0 }),
]
beforeAll(async () => {
  house = await openHouse()
  templateId = await assignToAll(house, { name: 'Counters', description: '', includes: [], watches })
})
afterAll(() => house.close())

const services = (...names: string[]): Service[] =>
  names.map((name) => ({ name, title: '', start: 'automatic', state: 'running' }))
const told = (more: Partial<CountersTold> = {}): CountersTold => ({
  name: 'nginx',
  from: 'http://127.0.0.1/nginx_status',
  series: [{ name: 'nginx: connections', metric: 'counter.number' }],
  missing: [],
  ...more,
})
const fresh = () => house.enrol(house.sites[0], `tm-counts-${++count}`)
const openOf = async (agent: Agent) =>
  (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    .filter(({ status }) => status !== 'closed')
    .map(({ watch: key, severity, evidence }) => `${key} ${severity}: ${evidence?.text}`)

describe('counters of programs', () => {
  it('are asked for of what is installed, as soon as that is told, and no more when it is gone', async () => {
    const agent = await fresh()
    const asked = async (minutes: number, facts: object) =>
      (await agent.send([agent.report(minutes, { facts })])).body.settings.collect.counters?.map(({ name }) => name)
    expect(await asked(9, {})).toBeUndefined()
    expect(await asked(8, { services: services('nginx', 'sshd') })).toEqual(['nginx'])
    expect(await asked(7, {})).toEqual(['nginx'])
    expect(await asked(6, { services: services('apache2') })).toEqual(['apache'])
  })
  it('raise by their levels; a program that does not answer is told, and closes nothing', async () => {
    const agent = await fresh()
    const read = (value: number) => [['counter.number', 'nginx: connections', value] as [string, string, number]]
    await agent.send([
      agent.report(9, { facts: { services: services('nginx'), counters: [told()] }, readings: read(501) }),
    ])
    expect(await openOf(agent)).toEqual(['busy warning: nginx: connections 501'])
    await agent.send([agent.report(8, { facts: { counters: [told({ trouble: 'refused', series: [] })] } })])
    expect((await openOf(agent)).sort()).toEqual([
      'busy warning: nginx: connections 501',
      'nginx warning: nginx does not answer: nothing listens there',
    ])
    await agent.send([agent.report(7, { facts: { counters: [told()] }, readings: read(3) })])
    expect(await openOf(agent)).toEqual([])
  })
  it('one that is stopped is no matter of its counters any more', async () => {
    const agent = await fresh()
    const hung = { services: services('nginx'), counters: [told({ trouble: 'timeout', series: [] })] }
    await agent.send([agent.report(9, { facts: hung })])
    expect(await openOf(agent)).toEqual(['nginx warning: nginx does not answer in time'])
    const stopped = services('nginx').map((service) => ({ ...service, state: 'stopped' as const }))
    await agent.send([agent.report(8, { facts: { services: stopped } })])
    expect(await openOf(agent)).toEqual([])
  })
  it('a fact that no agent tells is refused, and the report is kept', async () => {
    const agent = await fresh()
    const facts = { counters: [{ ...told(), trouble: 'mood' }] } as never
    const { status, body } = await agent.send([agent.report(5, { facts })])
    expect([status, body.acknowledged, body.refused.length]).toEqual([200, 1, 1])
  })
  it('names that no database takes cost what they are of, and not the report', async () => {
    const agent = await fresh()
    const odd = 'nginx: a\u0000b\ud800'
    const facts = { counters: [told({ series: [{ name: odd, metric: 'counter.number' }] })] }
    const { status, body } = await agent.send([agent.report(5, { facts, readings: [['counter.number', odd, 3]] })])
    expect([status, body.acknowledged]).toEqual([200, 1])
  })
  it('lines that say nothing are refused with what is wrong, and the template stays as it was', async () => {
    const change = (values: Values) =>
      house.lead<{ faults?: { message: string }[]; detail?: string }>('POST', '/api/policy/changes', {
        steps: [
          {
            of: 'template',
            id: templateId,
            basedOn: 1,
            note: '',
            to: {
              name: 'Counters',
              description: '',
              includes: [],
              watches: [watch('nginx', 'program-counters', values)],
            },
          },
        ],
      })
    for (const [values, says] of [
      [{ program: 'nginx', counters: ['connections'] }, 'Write a name, = and where it stands'],
      [{ program: 'nginx', from: 'http://198.51.100.7/' }, 'another machine'],
      [{ program: 'memcached', say: 'flush_all' }, 'might change something'],
    ] satisfies [Values, string][]) {
      const { status, body } = await change(values)
      expect([status, JSON.stringify(body)]).toEqual([400, expect.stringContaining(says)])
    }
    const page = await house.lead<TemplatePage>('GET', `/api/templates/${templateId}`)
    expect(page.body.watches.length).toBe(watches.length)
  })
})
