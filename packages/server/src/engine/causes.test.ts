import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AlertPage, AlertView, Rounds } from '#contract'
import { hour, minute, second, steadyAtLeast, type Service } from '#core'
import { rows, time as instant } from '../db'
import { assignFromLibrary, openHouse, type Agent, type Caller, type House } from '../testing/house'
import { silenceRound } from './silence'
import { settleSites, settleSteady } from './sites'
import { settleDue } from './settling'

let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})
const alertsOf = async (agent: Agent) => (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
const todo = async (ask: Caller = house.lead) => (await ask<Rounds>('GET', '/api/rounds')).body.todo
const page = async (id: number) =>
  (await house.lead<AlertPage>('GET', `/api/alerts/${id}`)).body as unknown as AlertPage
const members = async (id: number, ask: Caller = house.lead) => ask<AlertView[]>('GET', `/api/alerts/${id}/members`)

/** As if server processes had been there without a break from then on. */
const heardSince = (at: number) =>
  house.pool.query(
    'insert into hearing (since, last) values ($1, now()) on conflict (id) do update set since = $1, last = now()',
    [instant(at)],
  )

describe('a site', () => {
  let agents: Agent[]
  let siteId: number
  let siteName: string
  const since = () => Date.now() - hour
  const quiet = (agent: Agent, seconds: number) =>
    house.pool.query('update device set heard_at = $2, last_at = $2 where id = $1', [
      agent.id,
      instant(Date.now() - seconds * second),
    ])
  /** One round of what notices silence, of devices and of sites. */
  async function round(): Promise<void> {
    await heardSince(since())
    await silenceRound(house.pool)(Date.now())
    await settleSites(house.pool, since(), Date.now())
  }
  const ofSite = async (ask?: Caller) =>
    (await todo(ask)).rows.find((alert) => alert.deviceId === null && alert.siteName === siteName)
  beforeEach(async () => {
    siteName = `Pier ${++count}`
    siteId = (
      await house.lead<{ id: number }>('POST', '/api/sites', {
        clientId: house.clients[0],
        name: siteName,
        zone: 'Europe/Lisbon',
        networks: [],
      })
    ).body.id
    agents = []
    for (let i = 0; i < 5; i++) {
      const agent = await house.enrol(siteId, `tm-pier-${++count}`)
      await agent.send([agent.report(44)])
      agents.push(agent)
    }
  })

  it('whose agents fall silent together has one alert, which carries theirs, and what those carry', async () => {
    const [first] = agents
    await first!.send([first!.report(45, orders('stopped')), first!.report(47)])
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const row = (await ofSite())!
    expect(row).toMatchObject({
      severity: 'critical',
      members: 5,
      rule: { kind: 'site' },
    })
    expect(row.evidence!.text).toMatch(/is silent: nothing heard from 4 of 5 agents$/)
    expect(row.began).toBeLessThan(Date.now() - 890_000)
    const carried = (await members(row.id)).body
    expect(carried.map(({ deviceId, carrier }) => [deviceId, carrier?.id])).toEqual(
      agents
        .slice(0, 4)
        .map(({ id }) => [id, row.id])
        .reverse(),
    )
    // What is worked on in its place does not wait for anybody.
    expect((await todo()).rows.filter(({ deviceId }) => agents.some(({ id }) => id === deviceId))).toEqual([])
    const { ask } = await house.personWith('technician', [house.clients[1]])
    expect(await ofSite(ask)).toBeUndefined()
    expect((await members(row.id, ask)).status).toBe(404)
    await round()
    expect((await page(row.id)).entries.map(({ event }) => event)).toEqual(['raised'])
  })
  it('counts who is back; once most are, its alert is over and what is left stands for itself', async () => {
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const { id } = (await ofSite())!
    await agents[0]!.send([{ ...agents[0]!.report(0), at: Date.now() }])
    await round()
    expect((await page(id)).evidence!.text).toContain('3 of 5 agents')
    expect((await alertsOf(agents[0]!)).map(({ status }) => status)).toEqual(['closed'])
    for (const agent of agents.slice(1, 3)) await agent.send([{ ...agent.report(0), at: Date.now() }])
    await round()
    expect(await page(id)).toMatchObject({ status: 'closed', closeReason: 'cleared' })
    expect(await alertsOf(agents[3]!)).toMatchObject([{ status: 'open', carrier: null }])
  })
  it('that is over hides nothing: also not a silence that flips, and was heard when it ended', async () => {
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const { id } = (await ofSite())!
    const [first] = agents
    const [silence] = await alertsOf(first!)
    await house.pool.query(`update alert set flips_at = array[began, began, began] where id = $1`, [silence!.id])
    for (const agent of agents.slice(0, 4)) await agent.send([{ ...agent.report(0), at: Date.now() }])
    expect((await page(silence!.id)).wellSince).not.toBeNull()
    await round()
    expect((await page(id)).status).toBe('closed')
    await quiet(first!, 900)
    await round()
    expect(await page(silence!.id)).toMatchObject({ status: 'open', wellSince: null, carrier: null })
    expect((await todo()).rows.map((row) => row.id)).toContain(silence!.id)
  })
  it('closed by hand it stays closed, and so do those of its devices', async () => {
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const { id } = (await ofSite())!
    await house.technician('POST', `/api/alerts/${id}/close`, { reason: 'the pier is closed for the winter' })
    await round()
    expect((await alertsOf(agents[0]!))[0]).toMatchObject({ status: 'closed', closeReason: 'by-hand' })
    expect((await todo()).rows.filter((alert) => alert.siteName === siteName)).toEqual([])
    expect(
      (await house.technician('POST', '/api/alerts/acts', { ids: [id], do: 'reopen', text: '' })).body,
    ).toMatchObject([{ problem: expect.stringContaining('those of its devices') as string }])
  })
  it('carries a device no more that was moved elsewhere', async () => {
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const { id } = (await ofSite())!
    expect((await house.lead('PUT', `/api/devices/${agents[0]!.id}`, { siteId: house.sites[1] })).status).toBe(200)
    await round()
    expect((await alertsOf(agents[0]!))[0]).toMatchObject({ status: 'open', carrier: null })
    expect((await members(id)).body.map(({ deviceId }) => deviceId)).not.toContain(agents[0]!.id)
  })
  it('has no alert for those that a window holds', async () => {
    const made = await house.technician('POST', '/api/windows', {
      name: 'Cabling',
      target: { on: 'devices', deviceIds: agents.slice(0, 3).map(({ id }) => id) },
      subject: { of: 'all' },
      reason: '',
      from: Date.now() - hour,
      until: Date.now() + hour,
    })
    expect(made.status).toBe(200)
    for (const agent of agents.slice(0, 4)) await quiet(agent, 900)
    await round()
    const of = await rows(house.pool, 'select from alert where site_id = $1', [siteId])
    expect(of).toEqual([])
  })
})

describe('a silent device', () => {
  it('carries what was open on it, until it is heard again, or nobody wants to be told of its silence', async () => {
    const agent = await house.enrol(house.sites[0], `tm-carry-${++count}`)
    await agent.send([agent.report(44, orders('running')), agent.report(45, orders('stopped')), agent.report(47)])
    await house.pool.query('update device set heard_at = $2 where id = $1', [
      agent.id,
      instant(Date.now() - 20 * minute),
    ])
    await heardSince(Date.now() - hour)
    await silenceRound(house.pool)(Date.now())
    const [silence, service] = await alertsOf(agent)
    expect([silence!.watch, silence!.members]).toEqual(['silence', 1])
    expect(service).toMatchObject({ watch: 'services', carrier: { id: silence!.id, kind: 'silence' } })
    await house.technician('POST', `/api/alerts/${silence!.id}/close`, { reason: 'it is being carried upstairs' })
    expect((await page(service!.id)).carrier).toBeNull()
    await house.technician('POST', '/api/alerts/acts', { ids: [silence!.id], do: 'reopen', text: '' })
    expect((await page(service!.id)).carrier).toMatchObject({ id: silence!.id })
    await agent.send([{ ...agent.report(0), at: Date.now() }])
    expect(await page(service!.id)).toMatchObject({ status: 'open', carrier: null })
  })
})

describe('a post that fails again and again', () => {
  it('keeps one alert from the third time on, which is over once it has been well for half an hour', async () => {
    const agent = await house.enrol(house.sites[0], `tm-flip-${++count}`)
    for (const minutes of [1, 7, 13, 19])
      await agent.send([
        agent.report(minutes, orders('stopped')),
        agent.report(minutes + 2),
        agent.report(minutes + 3, orders('running')),
        agent.report(minutes + 5),
      ])
    const alerts = await alertsOf(agent)
    expect(alerts.map(({ status, flips }) => [status, flips])).toEqual([
      ['open', [1, 7, 13, 19].map((minutes) => agent.at(minutes))],
      ['closed', []],
    ])
    const { id, wellSince } = alerts[0]!
    expect(wellSince).toBe(agent.at(24))
    expect((await page(id)).entries.map(({ event }) => event)).toEqual([
      'raised',
      'closed',
      'reopened',
      'well',
      'failed-again',
      'well',
    ])
    const later = agent.at(24) + steadyAtLeast
    await settleSteady(house.pool, later - second)
    await settleDue(house.pool, Date.now())
    expect((await page(id)).status).toBe('open')
    await settleSteady(house.pool, later)
    await settleDue(house.pool, Date.now())
    expect(await page(id)).toMatchObject({ status: 'closed', closeReason: 'cleared', wellSince: null })
  })
  it('at the fourth within a day too, and is steady after twice as long as lies between; closed by hand, anew', async () => {
    const agent = await house.enrol(house.sites[0], `tm-flip-${++count}`)
    const start = Date.now() - 23 * hour
    const states = (hours: number, state: Service['state']) => [
      { ...agent.report(0, orders(state)), at: start + hours * hour },
      { ...agent.report(0), at: start + hours * hour + 2 * minute },
    ]
    for (const hours of [0, 5, 10, 15, 20])
      await agent.send([...states(hours, 'stopped'), ...states(hours + 0.5, 'running')])
    const begun = (hours: readonly number[]) => hours.map((each) => start + each * hour)
    const alerts = await alertsOf(agent)
    expect(alerts.map(({ status, flips }) => [status, flips])).toEqual([
      ['open', begun([0, 5, 10, 15, 20])],
      ['closed', []],
      ['closed', []],
    ])
    const { id, wellSince } = alerts[0]!
    await settleSteady(house.pool, wellSince! + 10 * hour - second)
    await settleDue(house.pool, Date.now())
    expect((await page(id)).status).toBe('open')
    await house.technician('POST', `/api/alerts/${id}/close`, { reason: 'its memory limit was raised' })
    await house.pool.query(`update alert set closed_at = closed_at - interval '3 hours' where id = $1`, [id])
    await agent.send(states(21.5, 'stopped'))
    expect((await alertsOf(agent)).map(({ status, flips }) => [status, flips.length])).toEqual([
      ['open', 0],
      ['closed', 5],
      ['closed', 0],
      ['closed', 0],
    ])
  })
  it('a silence that flips carries nothing while the device is heard, and is over in its time', async () => {
    const agent = await house.enrol(house.sites[0], `tm-flip-${++count}`)
    await agent.send([agent.report(40, orders('stopped')), agent.report(42)])
    const states: [string, boolean][] = []
    for (let time = 0; time < 3; time++) {
      await house.pool.query('update device set heard_at = $2 where id = $1', [
        agent.id,
        instant(Date.now() - (30 - time * 8) * minute),
      ])
      await heardSince(Date.now() - hour)
      await silenceRound(house.pool)(Date.now())
      const service = async () => (await alertsOf(agent)).find(({ watch }) => watch === 'services')!
      const isCarried = (await service()).carrier !== null
      await agent.send([{ ...agent.report(0), at: Date.now() }])
      states.push([(await service()).carrier === null ? 'free' : 'carried', isCarried])
    }
    expect(states).toEqual(Array.from({ length: 3 }, () => ['free', true]))
    const silence = (await alertsOf(agent)).find(({ watch, status }) => watch === 'silence' && status === 'open')!
    expect(silence.flips).toHaveLength(3)
    await settleSteady(house.pool, Date.now() + steadyAtLeast + second)
    await settleDue(house.pool, Date.now())
    expect((await page(silence.id)).status).toBe('closed')
  })
  it('stays with whoever has taken it', async () => {
    const agent = await house.enrol(house.sites[0], `tm-flip-${++count}`)
    const fails = (minutes: number) => agent.send([agent.report(minutes, orders('stopped')), agent.report(minutes + 2)])
    const recovers = (minutes: number) =>
      agent.send([agent.report(minutes, orders('running')), agent.report(minutes + 2)])
    for (const minutes of [1, 7]) {
      await fails(minutes)
      if (minutes === 7) await house.technician('POST', `/api/alerts/${(await alertsOf(agent))[0]!.id}/take`)
      await recovers(minutes + 3)
    }
    await fails(13)
    const [alert] = await alertsOf(agent)
    expect(alert).toMatchObject({ status: 'taken' })
    // Closed by hand while it was well it waits for nothing any more.
    await recovers(16)
    await house.technician('POST', `/api/alerts/${alert!.id}/close`, { reason: 'the switch was replaced' })
    await settleSteady(house.pool, agent.at(18) + 2 * steadyAtLeast)
    expect(await rows(house.pool, 'select from settle_due where device_id = $1', [agent.id])).toEqual([])
  })
})
