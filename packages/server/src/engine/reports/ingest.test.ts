import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DevicePage } from '#contract'
import { hour, minute } from '#core'
import { firstRow, rows } from '../../db'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
let agent: Agent
let count = 0
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())
const fresh = async () => (agent = await house.enrol(house.sites[0], `tm-test-${++count}`))
const stored = async () =>
  (await firstRow<{ n: number }>(house.pool, 'select count(*)::int as n from report where device_id = $1', [agent.id]))!
    .n

describe('a batch', () => {
  it('is acknowledged when it is on disk, values and all', async () => {
    await fresh()
    const { status, body } = await agent.send([
      agent.report(1, {
        readings: [
          ['cpu.busy', '', 0.25],
          ['disk.free', '/', 7168],
        ],
      }),
      agent.report(2),
    ])
    expect([status, body.acknowledged, body.refused]).toEqual([200, 2, []])
    const found = await rows<{ value: number[]; series: string[][] }>(
      house.pool,
      'select r.value, l.series from report r join layout l on l.id = r.layout_id where device_id = $1 order by seq',
      [agent.id],
    )
    expect(found).toEqual([
      {
        value: [0.25, 7168],
        series: [
          ['cpu.busy', ''],
          ['disk.free', '/'],
        ],
      },
      { value: [0.1], series: [['cpu.busy', '']] },
    ])
  })
  it('that is repeated changes nothing and is acknowledged again', async () => {
    await fresh()
    const batch = [agent.report(1), agent.report(2)]
    await agent.send(batch)
    expect((await agent.send(batch)).body.acknowledged).toBe(2)
    expect(await stored()).toBe(2)
  })
  it('that came twice at the same moment is stored once', async () => {
    await fresh()
    const batch = [agent.report(1), agent.report(2)]
    const answers = await Promise.all([agent.send(batch), agent.send(batch), agent.send(batch)])
    expect(answers.map((answer) => answer.body.acknowledged)).toEqual([2, 2, 2])
    expect(await stored()).toBe(2)
  })
  it('with a number left out is sent back for the rest, or counted when that is lost', async () => {
    await fresh()
    const [first, second, third] = [agent.report(1), agent.report(2), agent.report(3)]
    await agent.send([first])
    const early = await agent.send([third], { oldest: 2 })
    expect([early.status, early.body.code, early.body.detail]).toEqual([
      409,
      'out-of-order',
      'Send from report 2 on, in order.',
    ])
    expect((await agent.send([third], { oldest: 3 })).body.acknowledged).toBe(3)
    expect(
      (await firstRow<{ lost_reports: number }>(house.pool, 'select lost_reports from device where id = $1', [
        agent.id,
      ]))!.lost_reports,
    ).toBe(1)
    expect((await agent.send([second], { oldest: 2 })).body.acknowledged).toBe(3)
    expect(await stored()).toBe(2)
  })
  it('in wrong order within itself is put in order', async () => {
    await fresh()
    const [a, b] = [agent.report(1), agent.report(2)]
    expect((await agent.send([b, a], { oldest: 1 })).body.acknowledged).toBe(2)
    expect(await stored()).toBe(2)
  })
})

describe('bad input', () => {
  const cases: [string, () => Promise<{ status: number; body: { code: string } }>, number, string][] = [
    ['not JSON', () => agent.raw('{"version":1,'), 400, 'not-json'],
    [
      'NaN, which JSON does not have',
      () =>
        agent.raw(
          '{"version":1,"sentAt":1,"oldest":1,"reports":[{"seq":1,"at":1,"interval":1000,"readings":[["cpu.busy","",NaN]]}]}',
        ),
      400,
      'not-json',
    ],
    ['nothing', () => agent.raw(''), 400, 'invalid'],
    ['not gzip although it says so', () => agent.raw('{}', { 'content-encoding': 'gzip' }), 400, 'not-gzip'],
    ['another version', () => agent.send([agent.report(1)], { version: 2 }), 400, 'wrong-version'],
    ['no reports', () => agent.send([]), 400, 'invalid'],
    ['another media type', () => agent.raw('x', { 'content-type': 'text/plain' }), 415, 'wrong-media-type'],
    ['too large', () => agent.raw('x'.repeat(5 * 1024 * 1024)), 413, 'too-large'],
    [
      'too large once unpacked',
      () => agent.send([{ ...agent.report(1), pad: 'x'.repeat(5 * 1024 * 1024) }]),
      413,
      'too-large',
    ],
    [
      'a wrong key',
      () =>
        house.app
          .inject({
            method: 'POST',
            url: '/api/agent/reports',
            headers: { authorization: `Bearer cdk.${agent.id}.${'x'.repeat(32)}` },
            payload: { version: 1, sentAt: Date.now(), oldest: 1, reports: [agent.report(1)] },
          })
          .then((r) => ({ status: r.statusCode, body: r.json<{ code: string }>() })),
      401,
      'device-key-refused',
    ],
  ]
  for (const [name, send, status, code] of cases)
    it(`${name}: a problem document (RFC 9457), never a 500`, async () => {
      await fresh()
      const answer = await send()
      expect([answer.status, answer.body.code]).toEqual([status, code])
      expect(await stored()).toBe(0)
    })
  it('in part of a batch costs that part only, and says where', async () => {
    await fresh()
    const { body, status } = await agent.send([
      agent.report(1, {
        readings: [
          ['cpu.busy', '', 0.5],
          ['cpu.bussy', '', 1],
          ['disk.free', '', 1],
          ['cpu.busy', '', 0.6],
          ['load.5', '', 1e999],
        ] as never,
      }),
      { ...agent.report(2), interval: 'often' },
      agent.report(3, { at: Date.now() + 60 * minute }),
      agent.report(4, {
        events: [
          { at: Date.now(), channel: 'syslog', source: 'x', id: null, level: 'loud' as never, text: 'y' },
          { at: Date.now(), channel: 'syslog', source: 'x', id: null, level: 'error', text: 'kept\0' },
        ],
      }),
    ])
    expect(status).toBe(200)
    expect(body.acknowledged).toBe(4)
    expect(body.refused.map((refusal) => `${refusal.pointer} ${refusal.code}`)).toEqual([
      '/reports/0/readings/1 reading-not-valid',
      '/reports/0/readings/2 reading-not-valid',
      '/reports/0/readings/3 reading-twice',
      '/reports/0/readings/4 reading-not-valid',
      '/reports/1 report-not-valid',
      '/reports/3/events/0 event-not-valid',
    ])
    expect(await stored()).toBe(3)
    expect(await rows(house.pool, 'select text from log_event where device_id = $1', [agent.id])).toEqual([
      { text: 'kept' },
    ])
  })
})

describe('a clock that is off', () => {
  it('is noticed and corrected for', async () => {
    await fresh()
    const ahead = 7 * minute
    const { body } = await agent.send([agent.report(0, { at: Date.now() + ahead })], { sentAt: Date.now() + ahead })
    expect(Math.abs(body.clockOffset - ahead)).toBeLessThan(2000)
    const row = await firstRow<{ at: number }>(house.pool, 'select at from report where device_id = $1', [agent.id])
    expect(Math.abs(row!.at - Date.now())).toBeLessThan(5000)
  })
  it('does not tell when the machine was started; how long it has been up does, until another start is told', async () => {
    await fresh()
    const startedAt = async () => (await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body.startedAt
    await agent.send([agent.report(0)])
    expect(await startedAt()).toBeNull()
    const ahead = 3 * hour
    await agent.send([agent.report(1)], { sentAt: Date.now() + ahead, up: 5 * hour, boot: 'first' })
    expect(Math.abs((await startedAt())! - (Date.now() - 5 * hour))).toBeLessThan(2000)
    await agent.send([agent.report(2)])
    expect(Math.abs((await startedAt())! - (Date.now() - 5 * hour))).toBeLessThan(2000)
    await agent.send([agent.report(3)], { up: minute, boot: 'second' })
    expect(Math.abs((await startedAt())! - (Date.now() - minute))).toBeLessThan(2000)
    // No machine has been up since before there were any, and no database has such a time.
    await agent.send([agent.report(4)], { up: Number.MAX_SAFE_INTEGER, boot: 'odd' })
    expect(Math.abs((await startedAt())! - (Date.now() - minute))).toBeLessThan(2000)
  })
  it('and set back does not reorder reports', async () => {
    await fresh()
    await agent.send([agent.report(10), agent.report(4)])
    const found = await rows<{ seq: number }>(house.pool, 'select seq from report where device_id = $1 order by at', [
      agent.id,
    ])
    expect(found.map((row) => row.seq)).toEqual([1, 2])
  })
})
