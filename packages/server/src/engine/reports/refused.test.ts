import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { AgentSelf, DevicePage, LogPage, Report } from '#contract'
import { day, minute, type LogEvent } from '#core'
import { firstRow, rows } from '../../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

// What a machine sends can never stop it, and is never thrown away in silence.
let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())
const fresh = () => house.enrol(house.sites[0], `tm-odd-${++count}`)
const pageOf = async (agent: Agent) => (await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body
const eventsOf = async (agent: Agent) => (await house.lead<LogPage>('GET', `/api/log?device=${agent.id}`)).body.entries
const entry = (at: number, text: string, more: Partial<LogEvent> = {}): LogEvent => ({
  at,
  channel: 'syslog',
  source: 'x',
  id: null,
  level: 'error',
  text,
  ...more,
})
const selfOf = async (agent: Agent) =>
  (
    await house.app.inject({ method: 'GET', url: '/api/agent/self', headers: { authorization: `Bearer ${agent.key}` } })
  ).json<AgentSelf>()

describe('a report that PostgreSQL refuses', () => {
  it('costs itself, and not those before and behind it; it is kept whole, with the reason, and told on both sides', async () => {
    const agent = await fresh()
    // Something that no check of ours knows of.
    await house.pool.query(`alter table log_event add constraint odd check (text <> 'the odd one') not valid`)
    const before = agent.report(1)
    const odd = agent.report(2, { events: [entry(agent.at(2), 'the odd one')] })
    const behind = agent.report(3, { events: [entry(agent.at(3), 'behind')] })
    const { status, body } = await agent.send([before, odd, behind])
    expect([status, body.acknowledged, body.refused.map((refusal) => `${refusal.seq} ${refusal.code}`)]).toEqual([
      200,
      3,
      ['2 not-kept'],
    ])
    await house.pool.query('alter table log_event drop constraint odd')
    expect(
      (
        await rows<{ seq: number }>(house.pool, 'select seq from report where device_id = $1 order by seq', [agent.id])
      ).map((row) => row.seq),
    ).toEqual([1, 3])
    expect((await eventsOf(agent)).map((event) => event.text)).toEqual(['behind'])
    const page = await pageOf(agent)
    expect(page).toMatchObject({
      refusedCount: 1,
      lostReports: 0,
      refused: [{ seq: 2, code: 'not-kept', detail: expect.stringContaining('violates check constraint') as string }],
    })
    expect((JSON.parse(page.refused[0]!.body) as Report).events![0]!.text).toBe('the odd one')
    expect(await selfOf(agent)).toMatchObject({
      lastSeq: 3,
      refusedCount: 1,
      refused: [{ detail: expect.stringContaining('check constraint') as string }],
    })
  })
  it('is shown to technicians alone: a contact hears that there is something, and another client’s nothing at all', async () => {
    const own = await house.enrol(house.sites[1], 'bb-odd-1')
    await own.send([{ ...own.report(1), interval: 'often' }])
    expect((await house.contact<DevicePage>('GET', `/api/devices/${own.id}`)).body).toMatchObject({
      refusedCount: 1,
      refused: [],
    })
    const agent = await fresh()
    await agent.send([{ ...agent.report(1), interval: 'often' }])
    expect((await pageOf(agent)).refused).toHaveLength(1)
    expect((await house.contact('GET', `/api/devices/${agent.id}`)).status).toBe(404)
  })
  it('leaves no series that others cannot read: nothing is remembered that was rolled back', async () => {
    const [first, second] = [await fresh(), await fresh()]
    await house.pool.query(`alter table log_event add constraint odd check (text <> 'the odd one') not valid`)
    const readings: Report['readings'] = [['disk.free', `/srv/${Date.now()}`, 7168]]
    await first.send([first.report(1, { readings, events: [entry(first.at(1), 'the odd one')] })])
    await house.pool.query('alter table log_event drop constraint odd')
    await second.send([second.report(1, { readings })])
    expect((await pageOf(second)).latest?.readings).toEqual(readings)
  })
  it('sent again, because its receipt was lost, is counted once', async () => {
    const agent = await fresh()
    const batch = [agent.report(1, { readings: [['nonsense', '', 1]] }), { ...agent.report(2), interval: 'often' }]
    for (let i = 0; i < 3; i++) expect((await agent.send(batch)).body.refused).toHaveLength(2)
    expect((await pageOf(agent)).refusedCount).toBe(2)
  })
  it('by the thousand fills nothing: the newest are kept, and all are counted', async () => {
    const agent = await fresh()
    for (let i = 0; i < 3; i++)
      await agent.send(Array.from({ length: 60 }, () => ({ ...agent.report(1), interval: 'often' })))
    const { refusedCount } = await pageOf(agent)
    const kept = await firstRow<{ n: number }>(
      house.pool,
      'select count(*)::int as n from refused_report where device_id = $1',
      [agent.id],
    )
    expect([refusedCount, kept!.n]).toEqual([180, 50])
  })
})

describe('text that no database takes', () => {
  it('is made well-formed at the edge: NUL and halves of pairs, in values, names and addresses', async () => {
    const agent = await fresh()
    const wild = 'a\0b\uD800c\uDC00'
    const { status, body } = await agent.send([
      agent.report(1, {
        events: [entry(agent.at(1), wild, { source: wild })],
        failed: [{ collector: 'disks', reason: wild }],
        facts: { services: [{ name: wild, title: wild, start: 'manual', state: 'stopped' }] },
      }),
    ])
    expect([status, body.refused]).toEqual([200, []])
    const clean = 'ab\uFFFDc\uFFFD'
    expect(await eventsOf(agent)).toMatchObject([{ text: clean, source: clean }])
    expect(await pageOf(agent)).toMatchObject({ failed: [{ reason: clean }], facts: { services: [{ name: clean }] } })
    expect((await house.lead('GET', '/api/find?q=a%00b')).status).toBe(200)
    expect((await house.lead('POST', '/api/clients', { name: `Quillon ${wild}`, code: 'ql' })).status).toBe(200)
  })
})

describe('log entries', () => {
  const alertsOf = async (agent: Agent) =>
    (await house.lead<{ watch: string }[]>('GET', `/api/devices/${agent.id}/alerts`)).body.filter(
      (alert) => alert.watch === 'log.kernel',
    )
  const kernel = (agent: Agent, minutes: number, more: Partial<LogEvent> = {}) =>
    Array.from({ length: 3 }, (_, i) => entry(agent.at(minutes) + i, `I/O error ${i}`, { source: 'kernel', ...more }))
  it('of any age are taken: there is always a room for what is kept, and what is older is counted', async () => {
    const agent = await fresh()
    const now = Date.now()
    const ages = [0, 6, 13, 20, 29.9].map((days) => entry(now - days * day, `of ${days} days ago`))
    const { status, body } = await agent.send([
      agent.report(1, {
        at: now,
        events: [
          ...ages,
          entry(now - 31 * day, 'too old'),
          entry(now - 9000 * day, 'of another century'),
          entry(0, 'of 1970'),
        ],
      }),
    ])
    expect([status, body.refused]).toEqual([200, []])
    expect((await eventsOf(agent)).map((event) => event.text)).toEqual(ages.map((event) => event.text))
    expect((await pageOf(agent)).oldEntries).toBe(3)
  })
  it('from before the agent came are no news to any watch, nor what a log held when it was first read', async () => {
    const agent = await fresh()
    await agent.send([
      agent.report(10, { events: kernel(agent, 1) }),
      agent.report(11, { events: kernel(agent, 10, { old: true }) }),
    ])
    expect(await alertsOf(agent)).toEqual([])
    await agent.send([agent.report(12, { events: kernel(agent, 11.5) })])
    expect(await alertsOf(agent)).toHaveLength(1)
  })
  it('that its agent left out are counted', async () => {
    const agent = await fresh()
    await agent.send([agent.report(1, { leftOut: 29_600 }), agent.report(2, { leftOut: 7 })])
    expect((await pageOf(agent)).leftOutEntries).toBe(29_607)
  })
})

describe('numbers', () => {
  it('missing within a batch are counted as lost, and the rest goes on', async () => {
    const agent = await fresh()
    const [report, , three, , five] = [
      agent.report(1),
      agent.report(2),
      agent.report(3),
      agent.report(4),
      agent.report(5),
    ]
    const { status, body } = await agent.send([report, three, five])
    expect([status, body.acknowledged, (await pageOf(agent)).lostReports]).toEqual([200, 5, 2])
  })
})

describe('facts', () => {
  it('that are told again and are the same are not stored again', async () => {
    const agent = await fresh()
    const facts = { ports: [{ port: 22, protocol: 'tcp' as const }] }
    await agent.send([
      agent.report(1, { facts }),
      agent.report(2, { facts }),
      agent.report(3, { facts: { ports: [] } }),
      agent.report(4, { facts: { ports: [] } }),
    ])
    expect(
      (
        await rows<{ at: number }>(
          house.pool,
          `select at from device_fact where device_id = $1 and subject = 'ports' order by at`,
          [agent.id],
        )
      ).map((row) => row.at),
    ).toEqual([agent.at(1), agent.at(3)])
  })
})

describe('two machines as one device', () => {
  const spoken = (agent: Agent, instance: string, minutesAgo = 0) =>
    agent.send([agent.report(0, { at: Date.now() - minutesAgo * minute })], { instance, machine: 'm' })
  it('are seen by a run that goes on after another took over; the first stays, and an alert says so', async () => {
    const agent = await fresh()
    expect((await spoken(agent, 'a')).status).toBe(200)
    // A clone starts, and counts on from where the server is.
    expect((await spoken(agent, 'b')).status).toBe(200)
    await house.pool.query(
      `update device set instance_since = now() - interval '10 seconds', version = version + 1 where id = $1`,
      [agent.id],
    )
    // The clone has used numbers that the first gave, too: it is asked to count anew, and to tell all again.
    expect((await spoken(agent, 'a')).body.code).toBe('counted-by-another')
    // That answer may have been lost on the way.
    agent.seq = 1
    expect((await spoken(agent, 'a')).body.code).toBe('counted-by-another')
    expect(await selfOf(agent)).toMatchObject({ lastSeq: 2 })
    agent.seq = 2
    expect((await spoken(agent, 'a')).body.acknowledged).toBe(3)
    const refused = await spoken(agent, 'b')
    expect([refused.status, refused.body.code]).toEqual([409, 'identity-shared'])
    agent.seq--
    expect((await spoken(agent, 'a')).status).toBe(200)
    expect(
      (await house.lead<{ watch: string; severity: string }[]>('GET', `/api/devices/${agent.id}/alerts`)).body,
    ).toMatchObject([{ watch: 'agent.identity', severity: 'critical' }])
  })
  it('are told apart at once, whatever this server remembers of the device', async () => {
    const agent = await fresh()
    await spoken(agent, 'a')
    await spoken(agent, 'b')
    vi.useFakeTimers({ toFake: ['Date'], now: Date.now() + 10_000 })
    try {
      agent.seq = 1
      expect((await spoken(agent, 'a')).body.code).toBe('counted-by-another')
    } finally {
      vi.useRealTimers()
    }
  })
  it('are not seen in a restart, nor in what was late on the way', async () => {
    const agent = await fresh()
    await spoken(agent, 'a')
    await spoken(agent, 'b')
    expect((await spoken(agent, 'a')).status).toBe(200)
    expect((await spoken(agent, 'b')).status).toBe(200)
    expect((await spoken(agent, 'c')).status).toBe(200)
    expect((await house.lead<unknown[]>('GET', `/api/devices/${agent.id}/alerts`)).body).toEqual([])
  })
})
