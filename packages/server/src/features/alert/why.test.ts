import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, HeldView, WhyPage } from '#contract'
import { hour, minute, type Service, type WhyCode } from '#core'
import { advanceWindows } from '../../engine'
import { settleDue } from '../../engine/settling'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const device = (site = house.sites[0]) => house.enrol(site, `tm-why-${++count}`)
const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})
async function ask(agent: Agent, minutes: number | null, watch = 'services', instance = 'orders'): Promise<WhyPage> {
  const at = minutes === null ? '' : `&at=${agent.at(minutes)}`
  const { body, status } = await house.lead<WhyPage>(
    'GET',
    `/api/devices/${agent.id}/why?watch=${watch}&instance=${instance}${at}`,
  )
  expect(status).toBe(200)
  return body
}
/** What decided whether there was an alert; who was told of it comes after that. */
const decided = ({ steps }: WhyPage) => steps.filter(({ code }) => code !== 'told' && code !== 'not-told')
const codes = async (...of: Parameters<typeof ask>): Promise<WhyCode[]> =>
  decided(await ask(...of)).map(({ code }) => code)
async function hold(agent: Agent, from: number, until: number, more: object = {}): Promise<void> {
  const { status } = await house.technician('POST', '/api/windows', {
    name: 'Cabling',
    reason: '',
    target: { on: 'devices', deviceIds: [agent.id] },
    subject: { of: 'all' },
    from: agent.at(from),
    until: agent.at(until),
    ...more,
  })
  expect(status).toBe(200)
  await advanceWindows(house.pool, Date.now())
}

describe('why there was an alert, or none', () => {
  it('tells of each moment of a trouble what decided it', async () => {
    const agent = await device()
    await agent.send([
      agent.report(1, orders('running')),
      agent.report(3, orders('stopped')),
      agent.report(5),
      agent.report(7, orders('running')),
      agent.report(9),
    ])
    expect(await codes(agent, 2)).toEqual(['watched', 'well', 'no-alert'])
    expect(await codes(agent, 3.5)).toEqual(['watched', 'failing', 'not-long-enough', 'no-alert'])
    expect(await codes(agent, 6)).toEqual(['watched', 'failing', 'long-enough', 'not-covered', 'alert'])
    expect(await codes(agent, 7.5)).toEqual(['watched', 'failing', 'long-enough', 'clearing', 'not-covered', 'alert'])
    expect(await codes(agent, 10)).toEqual(['watched', 'well', 'no-alert'])
    const steps = decided(await ask(agent, 6))
    const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    expect(steps.at(-1)!.id).toBe(alert!.id)
    expect(steps.find(({ code }) => code === 'long-enough')).toMatchObject({ at: agent.at(5), length: 2 * minute })
  })
  it('and which rules had told somebody by then, to those of the house', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running')), agent.report(3, orders('stopped')), agent.report(5)])
    const said = async (minutes: number | null) =>
      (await ask(agent, minutes)).steps.filter(({ code }) => code === 'told' || code === 'not-told')
    expect((await said(null)).map(({ code }) => code)).toEqual(['not-told'])
    const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    const rule = {
      target: { on: 'everyone' },
      severities: ['critical'],
      families: null,
      causes: null,
      hours: '',
      outside: 'later',
      tell: [{ to: 'leads' }],
      after: 0,
      again: null,
      escalate: null,
      remindAfter: null,
      sayWell: false,
    }
    const made = await house.lead<{ id: number }>('POST', '/api/callouts', { name: 'By night', rule })
    await house.pool.query(
      `insert into callout_step (alert_id, rule_id, revision, step, n, at, severity)
       values ($1, $2, 1, 'tell', 1, now() - interval '1 minute', 'critical')`,
      [alert!.id, made.body.id],
    )
    expect(await said(null)).toMatchObject([{ code: 'told', text: 'By night', severity: 'critical', id: alert!.id }])
    expect((await said(6)).map(({ code }) => code)).toEqual(['not-told'])
    await house.lead('DELETE', `/api/callouts/${made.body.id}`)
  })
  it('that nothing was heard, that there is no such thing, and that nothing of then is kept', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running')), agent.report(20)])
    expect(await codes(agent, 10)).toEqual(['watched', 'unheard', 'no-alert'])
    expect(await codes(agent, 21, 'services', 'printing')).toEqual(['watched', 'no-such-instance', 'no-alert'])
    expect(await codes(await device(), null)).toEqual(['watched', 'no-reading', 'no-alert'])
    // Nothing was in force before this house was opened.
    expect(await codes(agent, 0.5)).toEqual(['not-watched', 'no-alert'])
    expect(await codes(agent, 21, 'nothing.is.called.so')).toEqual(['not-watched', 'no-alert'])
    expect((await ask(agent, -100)).knownSince).not.toBeNull()
  })
  it('by how often it reported then, which may not be how often it does today', async () => {
    const agent = await device()
    await agent.send(
      [1, 6, 11, 16].map((minutes) => agent.report(minutes, { ...orders('running'), interval: 5 * minute })),
    )
    await agent.send([agent.report(40), agent.report(41)])
    expect(await codes(agent, 20)).toEqual(['watched', 'well', 'no-alert'])
    expect(await codes(agent, 39)).toEqual(['watched', 'unheard', 'no-alert'])
  })
  it('that a window held it, and which one was in force and did not', async () => {
    const agent = await device()
    await hold(agent, 2, 12)
    await hold(agent, 2, 47, { name: 'Disks only', subject: { of: 'families', families: ['disk'] } })
    await agent.send([
      agent.report(1, orders('running')),
      agent.report(3, orders('stopped')),
      ...[5, 7, 9, 11, 13, 15].map((minutes) => agent.report(minutes)),
    ])
    await settleDue(house.pool, Date.now())
    const during = await ask(agent, 8)
    expect(during.steps.map(({ code }) => code)).toEqual([
      'watched',
      'failing',
      'long-enough',
      'not-named',
      'held',
      'no-alert',
    ])
    expect(during.steps.find(({ code }) => code === 'held')).toMatchObject({ text: 'Cabling', until: agent.at(12) })
    const after = await ask(agent, 15)
    expect(decided(after).map(({ code, text }) => (code === 'not-named' ? text : code))).toEqual([
      'watched',
      'failing',
      'long-enough',
      'Disks only',
      'not-covered',
      'alert',
    ])
  })
  it('goes by the policy of that time, and not by that of today', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('stopped')), agent.report(3)])
    const before = Date.now()
    await new Promise((resolve) => setTimeout(resolve, 20))
    const { status } = await house.lead('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [agent.id] },
      watch: 'services',
      values: {},
      leftOut: true,
      reason: 'orders moved elsewhere',
    })
    expect(status).toBe(200)
    const steps = async (at: number) =>
      (await house.lead<WhyPage>('GET', `/api/devices/${agent.id}/why?watch=services&instance=orders&at=${at}`)).body
        .steps
    expect((await steps(before)).map(({ code }) => code)).not.toContain('left-out')
    const now = await steps(Date.now())
    expect(now.map(({ code }) => code)).toEqual(['left-out', 'no-alert'])
    expect(now[0]!.text).toBe('orders moved elsewhere')
  })
  it('that somebody closed it by hand, until it was well', async () => {
    const agent = await device()
    await agent.send([agent.report(44, orders('stopped')), agent.report(46)])
    const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    await house.technician('POST', `/api/alerts/${alert!.id}/close`, { reason: 'known' })
    expect(await codes(agent, null)).toEqual(['watched', 'failing', 'long-enough', 'dismissed', 'no-alert'])
  })
  it('is refused for a time to come, and to whoever may not see its client', async () => {
    const agent = await device()
    const path = (at: number) => `/api/devices/${agent.id}/why?watch=services&at=${at}`
    expect((await house.lead('GET', path(Date.now() + hour))).body.faults?.[0]?.at).toBe('at')
    const { ask: other } = await house.personWith('technician', [house.clients[1]])
    expect((await other('GET', path(Date.now()))).status).toBe(404)
    await house.lead('PUT', `/api/devices/${agent.id}`, { siteId: house.sites[1] })
    // It is theirs now; what it was before is not.
    expect((await other('GET', path(Date.now()))).status).toBe(200)
    expect((await other('GET', path(agent.at(1)))).status).toBe(404)
  })
})

it('of any run of states and windows, at any moment, comes to what was in fact open and held', async () => {
  const run = fc.record({
    states: fc.array(fc.constantFrom<Service['state']>('running', 'stopped'), { minLength: 8, maxLength: 20 }),
    window: fc.option(fc.tuple(fc.integer({ min: 0, max: 15 }), fc.integer({ min: 2, max: 20 }))),
  })
  await fc.assert(
    fc.asyncProperty(run, async ({ states, window }) => {
      const agent = await device(house.sites[1])
      if (window) await hold(agent, window[0] + 0.5, window[0] + 0.5 + window[1])
      await agent.send(states.map((state, i) => agent.report(i * 2, orders(state))))
      await settleDue(house.pool, Date.now())
      const alerts = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
      const held = (await house.lead<HeldView[]>('GET', `/api/devices/${agent.id}/held`)).body
      for (let minutes = 0.25; minutes < states.length * 2; minutes += 1) {
        const at = agent.at(minutes)
        const steps = decided(await ask(agent, minutes))
        const wasHeld = held.some(({ heldAt, endedAt }) => heldAt <= at && (endedAt ?? Infinity) > at)
        expect([minutes, steps.some(({ code }) => code === 'held')]).toEqual([minutes, wasHeld])
        // One that flips is opened again: when it was open stands in its entries.
        const isFlipping = alerts.some(({ flips }) => flips.length > 0)
        const wasOpen = alerts.some(({ raisedAt, closedAt }) => raisedAt <= at && (closedAt ?? Infinity) > at)
        if (!isFlipping) expect([minutes, steps.at(-1)!.code]).toEqual([minutes, wasOpen ? 'alert' : 'no-alert'])
        // What it says stopped it is never said where there was an alert.
        if (steps.at(-1)!.code === 'alert') expect(steps.filter(({ result }) => result === 'stopped')).toEqual([])
      }
    }),
    { numRuns: 12 },
  )
}, 240_000)
