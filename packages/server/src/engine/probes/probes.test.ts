import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AlertView, DeviceReach, ProbeReceipt, ReachPage } from '#contract'
import { minute, type ProbeAsk, type ProbeTold, type Values, type WatchSpec } from '#core'
import { openHouse, type Agent, type House } from '../../testing/house'
import { judgeLooks } from './judging'
import { workOutDuties } from './duties'

// A device is looked at from others: who looks, what they are told, what comes of what they say.
let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await house.lead('PUT', `/api/sites/${house.sites[0]}`, {
    networks: ['198.51.100.0/24'],
    named: ['*.shop.example', '203.0.113.9'],
  })
})
afterAll(() => house.close())

const portWatch = (values: Values = {}): WatchSpec => ({
  key: 'shop',
  kind: 'reach-port',
  name: 'Shop',
  why: '',
  osFamilies: [],
  values,
})
let templateId = 0
/** The only watch there is from now on, for devices with the tag. */
async function watched(values: Values = {}): Promise<void> {
  const body = { name: `Shop ${++count}`, description: '', includes: [], watches: [portWatch(values)] }
  templateId = (await house.lead<{ id: number }>('POST', '/api/templates', body)).body.id
  await house.lead('POST', '/api/assignments', {
    templateId,
    target: { on: 'tag', tag: `shop-${count}` },
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
  })
}
const address = async (text: string, name = `tm-shop-${count}`) =>
  house.technician<{ id: number }>('POST', '/api/addresses', {
    siteId: house.sites[0],
    name,
    address: text,
    tags: [`shop-${count}`],
  })
const settle = async () => {
  while (await workOutDuties(house.pool));
}
const judged = async (ahead = 0) => {
  // The database's clock tells parts of a millisecond, and this one none.
  await new Promise((resolve) => setTimeout(resolve, 5))
  await judgeLooks(house.pool, Date.now() + ahead)
}
/** That nobody can look is told once it has been so for two minutes. */
const judgedAfterAWhile = async () => {
  await judged()
  await judged(125_000)
}
const asksOf = async (agent: Agent): Promise<ProbeAsk[]> => {
  const { body } = await agent.send([agent.report(0, { at: Date.now() })])
  return body.settings.collect.probes ?? []
}
const say = async (agent: Agent, probes: unknown[]) => {
  const { statusCode, body } = await house.app.inject({
    method: 'POST',
    url: '/api/agent/probes',
    payload: { probes },
    headers: { authorization: `Bearer ${agent.key}` },
  })
  return { status: statusCode, body: JSON.parse(body) as ProbeReceipt }
}
const told = (id: number, more: Partial<ProbeTold> = {}): ProbeTold => ({
  id,
  outcome: 'bad',
  fault: 'refused',
  inARow: 3,
  lasts: minute,
  ...more,
})
const good = (id: number, more: Partial<ProbeTold> = {}): ProbeTold => ({
  id,
  outcome: 'good',
  inARow: 2,
  lasts: minute,
  time: 12,
  mean: 12,
  ...more,
})
const openOf = async (id: number) =>
  (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts`)).body
    .filter(({ status }) => status !== 'closed')
    .map(({ severity, evidence }) => `${severity}: ${evidence?.text}`)
const later = (time: string) =>
  house.pool.query(
    `update probe set told_at = told_at - $1::interval, made_at = made_at - $1::interval, due_at = now()`,
    [time],
  )

describe('who looks', () => {
  let one: Agent
  let two: Agent
  beforeAll(async () => {
    one = await house.enrol(house.sites[0], 'tm-gate-1')
    two = await house.enrol(house.sites[0], 'tm-gate-2')
    await house.enrol(house.sites[0], 'tm-desk-1', { kind: 'workstation' })
  })
  it('servers of the site, two of them, are told with their next report what to look at', async () => {
    await watched({ port: 8443 })
    const { body } = await address('198.51.100.20')
    await settle()
    const asks = [...(await asksOf(one)), ...(await asksOf(two))]
    expect(asks).toHaveLength(2)
    expect(asks[0]).toMatchObject({
      host: '198.51.100.20',
      check: { check: 'port', port: 8443 },
      pace: { every: 20_000, confirm: 3 },
      bounds: { networks: ['198.51.100.0/24', '203.0.113.9/32'], names: ['*.shop.example'] },
    })
    await house.lead('POST', `/api/devices/${body.id}/retire`)
    await settle()
    expect(await asksOf(one)).toEqual([])
  })
  it('what lies elsewhere is not looked at, and a device at such an address is not added', async () => {
    await watched({ host: '192.0.2.1' })
    const away = await address('192.0.2.1')
    expect(away.status).toBe(400)
    expect(away.body.detail).toContain('192.0.2.1 is neither in the networks of Harbour (198.51.100.0/24)')
    const { body } = await address('www.shop.example')
    await settle()
    expect(await asksOf(one)).toEqual([])
    await judged()
    expect(await openOf(body.id)).toEqual([])
    await judgedAfterAWhile()
    expect(await openOf(body.id)).toEqual([
      'warning: port 443 at 192.0.2.1 cannot be looked at: its address is neither in the networks of the site nor among its named addresses',
    ])
    // Once it is named, it is looked at.
    await house.lead('PUT', `/api/sites/${house.sites[0]}`, { named: ['*.shop.example', '192.0.2.1'] })
    await settle()
    expect(await asksOf(one)).toMatchObject([{ host: '192.0.2.1' }])
    await house.lead('PUT', `/api/sites/${house.sites[0]}`, { named: ['*.shop.example', '203.0.113.9'] })
    await settle()
    expect(await asksOf(one)).toEqual([])
    await house.lead('POST', `/api/devices/${body.id}/retire`)
  })
  it('only devices of the same client, also where the names of others fit', async () => {
    const other = await house.enrol(house.sites[1], 'bb-gate-1')
    await watched({ from: ['*gate*'], most: 5 })
    const { body } = await address('a.shop.example')
    await settle()
    expect(await asksOf(other)).toEqual([])
    const { of } = (await house.lead<DeviceReach>('GET', `/api/devices/${body.id}/reach`)).body
    expect(of[0]!.by.map(({ deviceName }) => deviceName)).toEqual(['tm-gate-1', 'tm-gate-2'])
    // Its template is the same on it; nobody else looks at it.
    expect((await house.contact<ReachPage>('GET', '/api/reach')).body.rows).toEqual([])
    await house.lead('POST', `/api/devices/${body.id}/retire`)
  })
  it('one that goes to another client looks no more at the one before', async () => {
    const goes = await house.enrol(house.sites[0], 'tm-goes-1')
    await watched({ from: ['tm-goes-*'] })
    const { body } = await address('b.shop.example')
    await settle()
    expect(await asksOf(goes)).toHaveLength(1)
    await house.lead('PUT', `/api/devices/${goes.id}`, { siteId: house.sites[1] })
    await settle()
    expect(await asksOf(goes)).toEqual([])
    const { of } = (await house.lead<DeviceReach>('GET', `/api/devices/${body.id}/reach`)).body
    expect(of).toMatchObject([{ gap: 'nobody', by: [] }])
    await house.lead('POST', `/api/devices/${body.id}/retire`)
  })
  it('a device with an agent is looked at by its own address, and never by itself', async () => {
    await watched()
    const at = (addresses: string[]) =>
      one.send([
        one.report(0, {
          at: Date.now(),
          facts: {
            system: {
              osFamily: 'linux',
              osName: 'Debian 12',
              agentVersion: '0.14.0',
              serviceManager: 'systemd',
              hostName: 'tm-gate-1',
              cores: 2,
              addresses,
            },
          },
        }),
      ])
    const { body } = await at(['192.0.2.77', '198.51.100.7'])
    expect(body.refused).toEqual([])
    await house.lead('PUT', `/api/devices/${one.id}`, { tags: [`shop-${count}`] })
    await settle()
    expect(await asksOf(one)).toEqual([])
    expect(await asksOf(two)).toMatchObject([{ host: '198.51.100.7' }])
    await at(['198.51.100.9'])
    await settle()
    expect(await asksOf(two)).toMatchObject([{ host: '198.51.100.9' }])
    await house.lead('PUT', `/api/devices/${one.id}`, { tags: [] })
    await settle()
    expect(await asksOf(two)).toEqual([])
  })
})

describe('what they say', () => {
  let one: Agent
  let two: Agent
  let shop: number
  let asks: [number, number]
  beforeAll(async () => {
    one = await house.enrol(house.sites[0], 'tm-eye-1')
    two = await house.enrol(house.sites[0], 'tm-eye-2')
  })
  beforeEach(async () => {
    await watched({ from: ['tm-eye-*'] })
    shop = (await address(`www${count}.shop.example`)).body.id
    await settle()
    asks = [(await asksOf(one)).at(-1)!.id, (await asksOf(two)).at(-1)!.id]
  })

  it('down for both is told, once; well again for one clears it', async () => {
    await say(one, [told(asks[0])])
    await judged()
    expect(await openOf(shop)).toEqual([
      'critical: port 443 refuses the connection, 3 times in a row, seen from tm-eye-1',
    ])
    await say(two, [good(asks[1])])
    await judged()
    // Two look, and two have to agree.
    expect(await openOf(shop)).toEqual([])
    await say(two, [told(asks[1], { fault: 'timeout' })])
    await judged()
    expect(await openOf(shop)).toEqual([
      'critical: port 443 refuses the connection, 3 times in a row, seen from tm-eye-1; does not answer, 3 times in a row, seen from tm-eye-2',
    ])
    await say(one, [good(asks[0], { inARow: 1 })])
    await judged()
    expect(await openOf(shop)).toHaveLength(1)
    await say(one, [good(asks[0], { inARow: 2 })])
    await judged()
    expect(await openOf(shop)).toEqual([])
  })
  it('nothing is told before it is confirmed, and its beginning is that of the first failure', async () => {
    await say(one, [told(asks[0], { inARow: 2 })])
    await say(two, [told(asks[1], { inARow: 2 })])
    await judged()
    expect(await openOf(shop)).toEqual([])
    await say(one, [told(asks[0], { lasts: 40_000 })])
    await say(two, [told(asks[1], { lasts: 60_000 })])
    await judged()
    const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${shop}/alerts`)).body
    expect(Date.now() - alert!.began).toBeGreaterThan(59_000)
    expect(Date.now() - alert!.began).toBeLessThan(90_000)
  })
  it('those who fall silent count no more; when all have, nobody can say, and what was down stays open', async () => {
    await say(one, [told(asks[0])])
    await say(two, [told(asks[1])])
    await judged()
    await later('20 min')
    await judgedAfterAWhile()
    expect(await openOf(shop)).toEqual([
      'warning: port 443 cannot be looked at: tm-eye-1 has told nothing for 22 min; tm-eye-2 has told nothing for 22 min',
    ])
    await say(one, [good(asks[0])])
    await house.pool.query(`update probe set told_at = told_at + interval '126 s' where id = $1`, [asks[0]])
    await judged(126_000)
    expect(await openOf(shop)).toEqual([])
  })
  it('an agent that never says anything is told of, after its time', async () => {
    await judged()
    expect(await openOf(shop)).toEqual([])
    await later('4 min')
    await judgedAfterAWhile()
    expect(await openOf(shop)).toEqual([
      'warning: port 443 cannot be looked at: tm-eye-1 has told nothing for 6 min; tm-eye-2 has told nothing for 6 min',
    ])
  })
  it('what is well and stays so is judged no more: each word puts off when silence would be noticed', async () => {
    const due = async () =>
      (await house.pool.query<{ due: number }>('select min(due_at) as due from probe where target_id = $1', [shop]))
        .rows[0]!.due
    await say(one, [good(asks[0])])
    await say(two, [good(asks[1])])
    await judged()
    const before = await due()
    expect(before).toBeGreaterThan(Date.now() + 110_000)
    await say(one, [good(asks[0], { inARow: 9 })])
    await say(two, [good(asks[1], { inARow: 9 })])
    const after = await due()
    expect(after).toBeGreaterThan(before)
    // What fails is another matter, and so is whoever says nothing more.
    await say(two, [told(asks[1])])
    expect(await due()).toBeLessThanOrEqual(Date.now() + 5)
  })
  it('speaks for itself alone, of what it was asked; what is wrong costs only itself', async () => {
    expect(await say(two, [told(asks[0])])).toMatchObject({ status: 200, body: { kept: 0 } })
    await say(one, [told(asks[0] + 100_000)])
    await judged()
    expect(await openOf(shop)).toEqual([])
    const { body } = await say(one, [{ ...told(asks[0]), detail: 'x'.repeat(300) }, 'nonsense', good(asks[0])])
    expect(body).toMatchObject({ kept: 1, refused: [{ pointer: '/probes/0' }, { pointer: '/probes/1' }] })
    expect((await say(one, [])).status).toBe(400)
    expect(await say(one, [told(asks[0], { detail: 'a\u0000b' })])).toMatchObject({ body: { kept: 1 } })
  })
  it('another ask is another number: what was told of the old one says nothing of it', async () => {
    await say(one, [told(asks[0])])
    await say(two, [told(asks[1])])
    await judged()
    expect(await openOf(shop)).toHaveLength(1)
    const change = {
      of: 'template',
      id: templateId,
      basedOn: 1,
      note: '',
      to: {
        name: `Shop ${count}`,
        description: '',
        includes: [],
        watches: [portWatch({ from: ['tm-eye-*'], port: 80 })],
      },
    }
    expect((await house.lead('POST', '/api/policy/changes', { steps: [change] })).status).toBe(200)
    await settle()
    await judged()
    // An alert goes on until the new ask says that it is well.
    expect(await openOf(shop)).toHaveLength(1)
    const ask = (await asksOf(one)).at(-1)!
    expect(ask).toMatchObject({ check: { port: 80 } })
    expect(ask.id).not.toBe(asks[0])
    expect((await say(one, [told(asks[0])])).body.kept).toBe(0)
    await say(one, [good(ask.id)])
    await judged()
    expect(await openOf(shop)).toEqual([])
  })
  it('a window of the device holds it back, and a report of it leaves it alone', async () => {
    const window = await house.lead('POST', '/api/windows', {
      name: 'Works',
      reason: '',
      target: { on: 'devices', deviceIds: [shop] },
      subject: { of: 'families', families: ['reach'] },
      from: Date.now() - minute,
      until: Date.now() + 60 * minute,
    })
    expect(window.status).toBe(200)
    await say(one, [told(asks[0])])
    await say(two, [told(asks[1])])
    await judged()
    expect(await openOf(shop)).toEqual([])
  })
  it('the list has the worst first, and says what each saw', async () => {
    await say(one, [told(asks[0])])
    await say(two, [told(asks[1])])
    await judged()
    const { rows, wrong } = (await house.lead<ReachPage>('GET', '/api/reach?limit=1')).body
    expect(rows[0]).toMatchObject({
      severity: 'critical',
      check: { check: 'port', port: 443 },
      by: [{ told: { fault: 'refused' }, isQuiet: false }, { deviceName: 'tm-eye-2' }],
    })
    expect(wrong).toBeGreaterThan(0)
    const one1 = (await house.lead<ReachPage>('GET', '/api/reach?limit=500')).body
    let next = (await house.lead<ReachPage>('GET', '/api/reach?limit=2')).body
    const seen = [...next.rows]
    while (next.next) {
      next = (await house.lead<ReachPage>('GET', `/api/reach?limit=2&after=${next.next}`)).body
      seen.push(...next.rows)
    }
    expect(seen).toEqual(one1.rows)
    expect(one1.total).toBe(one1.rows.length)
  })
})
