import fc from 'fast-check'
import { Readable } from 'node:stream'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import seedrandom from 'seedrandom'
import type { AlertPage, AlertView, HistoryLoad, PersonListed, Rounds, SeriesPage } from '#contract'
import { day, hour, minute, type Millis } from '#core'
import { ensurePartitions, rows } from '../../../db'
import type { Viewer } from '../../../http/viewer'
import { watchline } from '../../maintenance/watchline'
import { packReadings } from '../../../engine/packing'
import { applyRetention } from '../../../engine/retention'
import { readReadings } from '../../../store/series'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../../testing/house'
import { historyLines, readingOf } from './lines'

const bounds = { from: Date.UTC(2024, 0), until: Date.UTC(2026, 10, 1) }
const good = { device: 'tm-gate-1', time: '2026-03-01T08:15:00Z', metric: 'cpu.busy', instance: '', value: 0.25 }
const read = (fields: Record<string, unknown>) => readingOf({ line: 1, fields }, bounds)
const all = async (text: string | Buffer, media: 'application/x-ndjson' | 'text/csv') => {
  const found = []
  for await (const line of historyLines(Readable.from([text]), media)) found.push(line)
  return found
}

describe('a line of history', () => {
  it('is a reading, its time with a zone or in milliseconds, its value to the resolution of the metric', () => {
    const at = Date.UTC(2026, 2, 1, 8, 15)
    expect(read(good)).toEqual({ device: 'tm-gate-1', at, metric: 'cpu.busy', instance: '', value: 0.25 })
    for (const time of [at, String(at), '2026-03-01 08:15Z', '2026-03-01T10:15:00.000+02:00'])
      expect(read({ ...good, time })).toMatchObject({ at })
    expect(read({ ...good, value: '0.12345' })).toMatchObject({ value: 0.123 })
    expect(read({ ...good, time: undefined, at: good.time, device: 12 })).toMatchObject({ at, device: '12' })
  })
  it('is refused with what to do', () => {
    for (const [wrong, words] of [
      [{ time: '2026-03-01T08:15:00' }, 'with its zone'],
      [{ time: '1 March' }, 'with its zone'],
      [{ time: '2026-13-45T08:15:00Z' }, 'with its zone'],
      [{ time: 1.5 }, 'with its zone'],
      [{ time: '1970-01-01T00:00:00Z' }, 'older than anything'],
      [{ time: '2026-11-01T00:00:00Z' }, 'not over yet'],
      [{ time: '9999-01-01T00:00:00Z' }, 'not over yet'],
      [{ metric: 'cpu.bzy' }, '“cpu.bzy”'],
      [{ metric: 7 }, 'no metric'],
      [{ instance: 'eth0' }, 'takes no instance'],
      [{ metric: 'disk.free' }, 'needs an instance'],
      [{ metric: 'disk.free', instance: 'a\0b' }, 'no name'],
      [{ metric: 'disk.free', instance: '\ud800' }, 'no name'],
      [{ metric: 'disk.free', instance: 'x'.repeat(401) }, 'no name'],
      [{ value: '' }, 'finite number'],
      [{ value: 'much' }, 'finite number'],
      [{ value: null }, 'finite number'],
      [{ value: 1.01 }, 'outside 0 to 1'],
      [{ device: {} }, 'neither a name nor a number'],
    ] as const)
      expect(read({ ...good, ...wrong })).toContain(words)
  })
  it('that is garbage is told by its number, and the others go on', async () => {
    const text = `${JSON.stringify(good)}\n\n[1]\n{broken\n${'x'.repeat(20_000)}\n${JSON.stringify(good)}`
    const lines = await all(text, 'application/x-ndjson')
    expect(lines.map(({ line, fields }) => [line, readingOf({ line, fields }, bounds)])).toMatchObject([
      [1, { value: 0.25 }],
      [3, expect.stringContaining('no JSON object')],
      [4, expect.stringContaining('no JSON object')],
      [5, expect.stringContaining('no JSON object')],
      [6, { value: 0.25 }],
    ])
    // One that never ends is where the file cannot be read any further.
    const endless = historyLines(
      Readable.from(Array.from({ length: 9 }, () => 'x'.repeat(9000))),
      'application/x-ndjson',
    )
    await expect(endless.next()).rejects.toThrow('maximum buffer reached')
  })
  it('of a CSV stands under its heading, with quotes and a mark of its encoding', async () => {
    const text =
      '\ufeffdevice,time,metric,instance,value\r\n"tm-gate-1",2026-03-01T08:15:00Z,disk.free,"/srv/a ""b"", c",4096\r\n'
    const [line] = await all(text, 'text/csv')
    expect(line).toMatchObject({ line: 2 })
    expect(readingOf(line!, bounds)).toMatchObject({ instance: '/srv/a "b", c', value: 4096 })
  })
  it('never throws, whatever it holds', () =>
    fc.assert(
      fc.property(
        fc.dictionary(fc.constantFrom('device', 'time', 'at', 'metric', 'instance', 'value', '', 'x'), fc.anything()),
        (fields) => {
          const found = readingOf({ line: 1, fields }, bounds)
          expect(typeof found === 'string' ? found.length : found.at).toBeGreaterThan(0)
        },
      ),
    ))
})

describe('history', () => {
  let house: House
  let agent: Agent
  const today = Math.floor(Date.now() / day) * day
  beforeAll(async () => {
    house = await openHouse()
    agent = await house.enrol(house.sites[0], 'tm-gate-1')
    await house.enrol(house.sites[1], 'bb-shop-1')
  })
  afterAll(() => house.close())

  async function bring(body: string, type = 'application/x-ndjson', query = '', client = house.clients[0]) {
    const { cookie } = await person
    const answer = await house.app.inject({
      method: 'POST',
      url: `/api/clients/${client}/history?file=old.txt${query}`,
      payload: body,
      headers: { cookie, 'content-type': type },
    })
    return { status: answer.statusCode, body: answer.json<HistoryLoad & { detail: string }>() }
  }
  let person: ReturnType<House['personWith']>
  beforeAll(() => {
    person = house.personWith('technician', [house.clients[0]])
  })
  const line = (at: Millis, value: number, more: object = {}) =>
    JSON.stringify({ device: 'tm-gate-1', time: at, metric: 'cpu.busy', value, ...more })
  const kept = async (from: Millis, until: Millis) => {
    const { samples } = (await readReadings(house.pool, agent.id, ['cpu.busy'], from, until)).get('cpu.busy|') ?? {
      samples: { at: new Float64Array(0), value: new Float64Array(0) },
    }
    return [...samples.at].map((at, i) => [at, samples.value[i]])
  }

  it('is there as it was brought, over years, summed up with the rest, and twice is once', async () => {
    const days = [1600, 700, 399, 30, 2]
    const expected = days.flatMap((ago) =>
      Array.from({ length: 48 }, (_, i) => [today - ago * day + i * 30 * minute, (i % 40) / 100] as const),
    )
    const file = expected
      .toReversed()
      .map(([at, value]) => line(at, value))
      .join('\n')
    for (let times = 0; times < 2; times++) {
      const { status, body } = await bring(file)
      expect([status, body.detail]).toEqual([200, undefined])
      expect(body).toMatchObject({
        lines: 240,
        taken: 240,
        refused: 0,
        devices: 1,
        firstAt: today - 1600 * day,
        refusals: [],
      })
      expect(body.endedAt).not.toBeNull()
      expect(await kept(today - 2000 * day, today)).toEqual(expected)
    }
    const { body } = await house.lead<SeriesPage>(
      'GET',
      `/api/devices/${agent.id}/series?from=${today - 1601 * day}&until=${today}&metrics=cpu.busy&points=400`,
    )
    expect(body.series[0]!.summary).toMatchObject({ count: 240, min: 0, max: 0.39 })
  })
  it('goes beside what agents tell of the same day, which is right where both have a time; packing keeps both', async () => {
    const at = today - day + 3 * hour
    const told = [at, at + minute].map((time, i) => ({
      ...agent.report(0),
      at: time,
      readings: [['cpu.busy', '', 0.8 + i / 10] as const],
    }))
    await agent.send(told)
    const both = [
      [at, 0.8],
      [at + 30_000, 0.5],
      [at + minute, 0.9],
    ]
    const file = [line(at, 0.1), line(at + 30_000, 0.5)].join('\n')
    expect((await bring(file)).body.taken).toBe(2)
    expect(await kept(at, at + hour)).toEqual(both)
    // The day has as many times packed as came in reports, which are not among them: they are not forgotten for that.
    await expect(applyRetention(house.pool, Date.now() + 25 * day)).rejects.toThrow('Not all reports')
    expect(await kept(at, at + hour)).toEqual(both)
    await packReadings(house.pool, Date.now() + day, async () => undefined)
    expect(await kept(at, at + hour)).toEqual(both)
    expect((await bring(file)).body.taken).toBe(2)
    await house.pool.query('delete from report where device_id = $1', [agent.id])
    expect(await kept(at, at + hour)).toEqual(both)
  })
  it('comes back from the CSV that goes out, for the device that is said', async () => {
    const from = today - 30 * day
    const { body: csv } = await house.lead<string>(
      'GET',
      `/api/devices/${agent.id}/series.csv?metrics=cpu.busy&from=${from}&until=${from + day}`,
    )
    const other = await house.enrol(house.sites[0], 'tm-gate-2')
    const { body } = await bring(csv as string, 'text/csv; charset=utf-8', `&device=${other.id}`)
    expect(body).toMatchObject({ lines: 48, taken: 48, refused: 0 })
    const found = (await readReadings(house.pool, other.id, null, from, from + day)).get('cpu.busy|')!
    expect([...found.samples.at].map((at, i) => [at, found.samples.value[i]])).toEqual(await kept(from, from + day))
  })
  it('says line by line what was refused, takes the rest, and keeps the report', async () => {
    const at = today - 5 * day
    const file = [
      line(at, 0.5),
      line(at, 7),
      'nonsense',
      line(at, 0.5, { device: 'bb-shop-1' }),
      line(at, 0.5, { device: '' }),
      line(Date.now(), 0.5),
      line(at + minute, 0.5, { device: String(agent.id) }),
    ].join('\n')
    const { body } = await bring(file)
    expect(body).toMatchObject({ lines: 7, taken: 2, refused: 5 })
    expect(body.refusals.map((refusal) => refusal.line)).toEqual([2, 3, 4, 5, 6])
    expect(body.refusals[2]!.reason).toContain('no device “bb-shop-1”')
    const { ask } = await person
    const { body: loads } = await ask<HistoryLoad[]>('GET', `/api/clients/${house.clients[0]}/history`)
    expect(loads[0]).toEqual(body)
    // Nobody is told, and nothing is open.
    expect((await house.pool.query('select from alert')).rowCount).toBe(0)
  })
  it('in a CSV whose end is missing has what came before, and says where', async () => {
    const at = today - 6 * day
    const rest = `tm-gate-1,${at},cpu.busy,0.5\ntm-gate-1,"${at}`
    const { body } = await bring(`device,time,metric,value\n${rest}`, 'text/csv')
    expect(body).toMatchObject({ taken: 1, refused: 1 })
    expect(body.refusals.map(({ line: number }) => number)).toEqual([3])
    expect(body.refusals[0]!.reason).toContain('Quote Not Closed')
    expect(body.endedAt).not.toBeNull()
    expect(await kept(at, at + hour)).toEqual([[at, 0.5]])
  })
  it('is not brought to another client, nor to another’s device, nor as anything else', async () => {
    const other = await house.enrol(house.sites[1], 'bb-shop-2')
    expect((await bring(line(today - day, 0.5), 'application/x-ndjson', '', house.clients[1])).status).toBe(404)
    expect((await bring(line(today - day, 0.5), 'application/x-ndjson', `&device=${other.id}`)).status).toBe(404)
    expect((await bring('{}', 'application/json')).status).toBe(400)
    expect((await bring('x', 'text/plain')).status).toBe(415)
  })

  it('is judged as the engine judges reports, once, and nobody is told', async () => {
    // Weeks were dropped above, as if they were long over.
    await ensurePartitions(house.pool, Date.now())
    await assignFromLibrary(house, 'Base server')
    const [told, brought] = [
      await house.enrol(house.sites[0], 'tm-told-1'),
      await house.enrol(house.sites[0], 'tm-brought-1'),
    ]
    const sender = 'custode@lanternfield.example'
    const mail = { host: '127.0.0.1', port: 9, security: 'none', username: '', sender }
    expect((await house.lead('PUT', '/api/ways/mail', mail)).status).toBe(200)
    const people = (await house.lead<PersonListed[]>('GET', '/api/people')).body
    const callout = {
      name: 'All at once',
      rule: {
        target: { on: 'everyone' },
        severities: ['notice', 'warning', 'critical'],
        families: null,
        causes: null,
        hours: '',
        outside: 'later',
        tell: [{ to: 'person', id: people.find(({ name }) => name === 'Tech')!.id }],
        after: 0,
        again: null,
        escalate: null,
        remindAfter: null,
        sayWell: true,
      },
    }
    const made = await house.lead<{ detail: string }>('POST', '/api/callouts', callout)
    expect([made.status, made.body.detail]).toEqual([200, undefined])

    // Every five minutes of eight days: now and then busy, for minutes or for an hour, and full towards the end.
    const random = seedrandom('history')
    const from = today - 9 * day
    let [busyUntil, level] = [0, 0]
    const readings = Array.from({ length: 8 * 288 }, (_, i): { at: Millis; values: [string, string, number][] } => {
      const at = from + i * 5 * minute
      if (at > busyUntil && random() < 0.01) {
        busyUntil = at + Math.floor(random() * 90) * minute
        level = [0.955, 0.975, 0.995][Math.floor(random() * 3)]!
      }
      return {
        at,
        values: [
          ['cpu.busy', '', at < busyUntil ? level : 0.3],
          ['disk.size', '/', 100 * 2 ** 30],
          ['disk.free', '/', (i < 1400 ? 60 : 4) * 2 ** 30],
        ],
      }
    })
    for (let i = 0; i < readings.length; i += 100) {
      const part = readings.slice(i, i + 100)
      const reports = part.map(({ at, values }) => ({ ...told.report(0), at, interval: 5 * minute, readings: values }))
      expect((await told.send(reports)).status).toBe(200)
    }
    type Alert = Pick<AlertView, 'watch' | 'instance' | 'severity' | 'began' | 'raisedAt' | 'closedAt'>
    const alertsOf = async (id: number) =>
      (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts?limit=500`)).body.toSorted(
        (a, b) => a.raisedAt - b.raisedAt || a.watch.localeCompare(b.watch),
      )
    const short = ({ watch, instance, severity, began, raisedAt, closedAt }: Alert) => ({
      ...{ watch, instance, severity, began, raisedAt, closedAt },
    })
    // In an order of its own, in two files, of which the second makes the first whole.
    const lines = (from: number) =>
      readings
        .filter((_, i) => i % 2 === from)
        .flatMap(({ at, values }) =>
          values.map(([metric, instance, value]) =>
            line(at, value, { device: 'tm-brought-1', metric, ...(instance ? { instance } : {}) }),
          ),
        )
        .toReversed()
        .join('\n')
    const before = (await rows(house.pool, 'select from callout_due')).length
    expect((await bring(lines(1))).status).toBe(200)
    const { body } = await bring(lines(0))
    expect([body.refused, body.taken]).toEqual([0, readings.length * 1.5])

    const live = (await alertsOf(told.id)).filter(({ rule }) => ['cpu-busy', 'disk-space'].includes(rule.kind))
    const found = await alertsOf(brought.id)
    expect(found.length).toBeGreaterThan(4)
    expect(body.alerts).toBe(found.length)
    expect(new Set(found.map(({ severity }) => severity)).size).toBe(3)
    const ends = readings.at(-1)!.at
    expect(found.map(short)).toEqual(live.map((alert) => short({ ...alert, closedAt: alert.closedAt ?? ends })))
    expect(found.every(({ status, closeReason }) => status === 'closed' && closeReason === 'history')).toBe(true)
    const page = (await house.lead<Pick<AlertPage, 'entries'>>('GET', `/api/alerts/${found[0]!.id}`)).body
    expect(page.entries.map(({ event }) => event)).toEqual(['raised', 'closed'])

    expect((await rows(house.pool, 'select from callout_due')).length - before).toBe(0)
    expect(
      await rows(
        house.pool,
        `select from callout_told t join callout_step s on s.id = t.step_id join alert a on a.id = s.alert_id
         where a.device_id = $1`,
        [brought.id],
      ),
    ).toEqual([])
    const rounds = (await house.lead<Rounds>('GET', `/api/rounds?since=${from}`)).body
    expect(JSON.stringify(rounds)).not.toContain('tm-brought-1')

    // It was nobody's then: neither where one looks back, nor on the watchline, nor to a rule, nor beside a window.
    const { cookie } = await person
    const during = found.at(-1)!.raisedAt
    const then = await house.app.inject({
      url: '/api/rounds',
      headers: { cookie, 'accept-datetime': new Date(during).toUTCString() },
    })
    expect(then.statusCode).toBe(200)
    const { todo } = then.json<Rounds>()
    expect([todo.total, todo.rows.map(({ deviceName }) => deviceName)]).toEqual([2, ['tm-told-1', 'tm-told-1']])
    const viewer = { clientIds: null } as Viewer
    const drawn = await watchline(house.pool, viewer, null, Date.now(), 20 * day, hour)
    expect(JSON.stringify(drawn)).toContain('tm-told-1')
    expect(JSON.stringify(drawn)).not.toContain('tm-brought-1')
    const rehearsal = await house.lead('POST', '/api/callouts/rehearsal', callout)
    expect(rehearsal.status).toBe(200)
    expect(JSON.stringify(rehearsal.body)).toContain('tm-told-1')
    expect(JSON.stringify(rehearsal.body)).not.toContain('tm-brought-1')

    // By when they were, part by part, and not by when they were found.
    const parts: number[] = []
    for (let before = ''; ; before = `&before=${parts.at(-1)}`) {
      const path = `/api/devices/${brought.id}/alerts?limit=2${before}`
      const part = (await house.lead<AlertView[]>('GET', path)).body.map(({ id }) => id)
      if (!part.length) break
      parts.push(...part)
    }
    expect(parts).toEqual(
      (
        await rows<{ id: number }>(
          house.pool,
          'select id from alert where device_id = $1 order by raised_at desc, id desc',
          [brought.id],
        )
      ).map(({ id }) => id),
    )

    // The same again is the same alerts; what its agent tells from then on is judged when it comes.
    expect((await bring(lines(0))).body.alerts).toBe(found.length)
    expect(await alertsOf(brought.id)).toEqual(found)
    // At a moment at which nothing is open, and has not been for an hour.
    const begins = readings
      .slice(1000)
      .find(({ at }) => found.every(({ raisedAt, closedAt }) => at < raisedAt || at > closedAt! + hour))!.at
    expect(found.filter(({ closedAt }) => closedAt! < begins).length).toBeGreaterThan(1)
    expect(found.filter(({ raisedAt }) => raisedAt > begins).length).toBeGreaterThan(0)
    await brought.send([{ ...brought.report(0), at: begins, interval: 5 * minute, readings: [['cpu.busy', '', 0.1]] }])
    await bring(lines(0))
    expect(
      (await alertsOf(brought.id)).filter(({ closeReason }) => closeReason === 'history').map(({ id }) => id),
    ).toEqual(found.filter(({ closedAt }) => closedAt! < begins).map(({ id }) => id))
  }, 300_000)
})
