import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertTimeline, AlertView, DevicePage } from '#contract'
import { minute, type Service, type Updates } from '#core'
import { assignFromLibrary, openHouse, type Agent, type Caller, type House } from '../../testing/house'

let house: House
let agent: Agent
let alert: AlertView
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  agent = await house.enrol(house.sites[0], 'tm-tickets-1')
  const services = (state: Service['state']): Service[] => [
    { name: 'orders', title: 'orders', start: 'automatic', state },
  ]
  const updates = (names: string[]): Updates => ({
    security: names.length,
    other: 0,
    leftover: 0,
    oldestSecurityAt: agent.at(-100),
    oldestOtherAt: null,
    restartPending: false,
    checkedAt: agent.at(0),
    listsAt: agent.at(0),
    names,
  })
  const entry = (minutes: number, level: 'error' | 'informational', text: string) => ({
    at: agent.at(minutes),
    channel: 'syslog',
    source: 'kernel',
    id: null,
    level,
    text,
  })
  const up = (seconds: number) => ({ readings: [['uptime', '', seconds] as [string, string, number]] })
  await agent.send([
    agent.report(1, { facts: { services: services('running'), updates: updates(['libssl', 'nginx', 'zlib']) } }),
    agent.report(5, {
      ...up(90_000),
      events: [entry(4, 'error', 'out of memory'), entry(4, 'informational', 'all well')],
    }),
    agent.report(6, { facts: { updates: updates(['zlib']) } }),
    agent.report(8, up(60)),
    agent.report(10, { facts: { services: services('stopped') } }),
    agent.report(12),
  ])
  // Another device of the site, and one elsewhere.
  const other = await house.enrol(house.sites[0], 'tm-gate-1')
  const elsewhere = await house.enrol(house.sites[1], 'bb-till-1')
  for (const one of [other, elsewhere])
    await one.send([one.report(10, { facts: { services: services('stopped') } }), one.report(12)])
  for (const [name, of] of [
    ['Cabling', agent],
    ['Of another device', other],
  ] as const) {
    const { status } = await house.technician('POST', '/api/windows', {
      name,
      reason: '',
      target: { on: 'devices', deviceIds: [of.id] },
      subject: { of: 'families', families: ['disk'] },
      from: agent.at(3),
      until: agent.at(20),
    })
    expect(status).toBe(200)
  }
  await house.lead('PUT', `/api/devices/${agent.id}`, { tags: ['lab'] })
  alert = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body.find(
    ({ instance }) => instance === 'orders',
  )!
})
afterAll(() => house.close())

const read = async (ask: Caller) => (await ask<AlertTimeline>('GET', `/api/alerts/${alert.id}/timeline`)).body
const told = ({ items }: AlertTimeline) =>
  items.map(({ kind, text, deviceName }) => [kind, text, deviceName].join(' ').trim())

it('what happened on the device and at its site around an alert stands in the order of its time', async () => {
  const line = await read(house.lead)
  expect(told(line).filter((text) => !text.startsWith('changed'))).toEqual([
    'began Cabling',
    'log out of memory',
    'installed libssl, nginx',
    'restarted',
    'raised orders tm-gate-1',
    'ended Cabling',
  ])
  expect(told(line)).toContain('changed made template Base server')
  expect(told(line).at(-1)).toBe('changed changed device')
  expect(line.items.find(({ kind }) => kind === 'restarted')!.at).toBe(agent.at(7))
  // What was done within the window was planned; nothing else was.
  expect(line.items.filter(({ by, kind }) => by === 'Cabling' && kind !== 'changed').map(({ kind }) => kind)).toEqual([
    'installed',
    'restarted',
  ])
  expect(line.left).toBe(0)
  expect(line.items.map(({ at }) => at)).toEqual(line.items.map(({ at }) => at).toSorted((a, b) => a - b))
  expect(line.items.every(({ at }) => at >= line.from && at <= line.until)).toBe(true)
  expect(alert.began - line.from).toBe(120 * minute)
})

it('a contact does not see who changed what, and nobody sees another client', async () => {
  const contact = await house.personWith('contact', [house.clients[0]])
  expect((await read(contact.ask)).items.filter(({ kind }) => kind === 'changed')).toEqual([])
  const other = await house.personWith('technician', [house.clients[1]])
  expect((await other.ask('GET', `/api/alerts/${alert.id}/timeline`)).status).toBe(404)
  expect((await other.ask('GET', `/api/alerts/${alert.id}/earlier`)).status).toBe(404)
})

it('earlier alerts of the same post, and of no other', async () => {
  await house.technician('POST', `/api/alerts/${alert.id}/close`, { reason: 'known' })
  await house.pool.query(`update alert set closed_at = now() - interval '3 hours' where id = $1`, [alert.id])
  const state = (state: Service['state']) => ({
    facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
  })
  await agent.send([
    agent.report(20, state('running')),
    agent.report(22),
    agent.report(24, state('stopped')),
    agent.report(26),
  ])
  const [newest] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
  const earlier = (await house.lead<AlertView[]>('GET', `/api/alerts/${newest!.id}/earlier`)).body
  expect(earlier.map(({ id, closedWord }) => [id, closedWord])).toEqual([[alert.id, 'known']])
})

it('a device that was started within a window says so, and one that was started before it does not', async () => {
  const startedIn = async (minutes: number) => {
    await agent.send([agent.report(21 + minutes / 100)], { up: Date.now() - agent.at(minutes), boot: `at ${minutes}` })
    return (await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body.startedIn?.name
  }
  expect([await startedIn(1), await startedIn(7), await startedIn(20.5)]).toEqual([undefined, 'Cabling', undefined])
})
