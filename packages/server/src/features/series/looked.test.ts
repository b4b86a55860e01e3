import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type {
  ChangedPage,
  EstateSeries,
  DevicePage,
  FillingDisks,
  ReadingsPart,
  RhythmHours,
  RhythmPage,
  SeriesMarks,
} from '#contract'
import { day, hour, metrics, minute, type Reading } from '#core'
import { rows, time } from '../../db'
import { packReadings } from '../../engine/packing'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

let house: House
let agent: Agent
const now = Date.now()
/** A day of the week that was twice in the last eleven days; mornings by the clocks of the site, Lisbon. */
const busyDay = new Date(now - 3 * day).getUTCDay()
const lisbon = new Intl.DateTimeFormat('en-GB', { timeZone: 'Europe/Lisbon', hour: '2-digit', hourCycle: 'h23' })
const changedAt = Math.floor((now - 4 * day) / hour) * hour

function readingsAt(at: number): Reading[] {
  const there = Number(lisbon.format(at))
  const isBusy = new Date(at).getUTCDay() === busyDay && there >= 9 && there < 11
  const wobble = ((at / minute) % 13) / 400
  return [
    ['cpu.busy', '', Math.min(1, (isBusy ? 0.99 : 0.1) + wobble)],
    ['memory.size', '', 32_768e6],
    ['memory.available', '', at < changedAt ? 20_480e6 : 12_288e6],
    ['uptime', '', Math.round((at - (at < changedAt ? now - 40 * day : changedAt)) / 1000)],
  ]
}
const bounds = `from=${now - 11 * day}&until=${now}`

beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  agent = await house.enrol(house.sites[0], 'tm-book-1')
  for (let from = now - 11 * day; from < now; from += 120 * 10 * minute) {
    const reports = []
    for (let at = from; at < Math.min(now, from + 120 * 10 * minute); at += 10 * minute)
      reports.push({ ...agent.report(0), at, interval: 10 * minute, readings: readingsAt(at) })
    expect((await agent.send(reports)).status).toBe(200)
  }
})
afterAll(() => house.close())
const get = <T>(path: string, ask = house.lead) => ask<T>('GET', `/api/devices/${agent.id}/${path}`)

describe('when it happens', () => {
  it('is told on the clocks of the site, with what else was so then', async () => {
    const { body } = await get<RhythmPage>('rhythm?metric=cpu.busy&weeks=2&beyond=0.5')
    expect(body).toMatchObject({ zone: 'Europe/Lisbon', isScarce: false, beyond: 0.5 })
    const first = ((busyDay + 6) % 7) * 24 + 9
    expect(body.standingOut.map(({ from, until }) => [from, until])).toEqual([[first, first + 2]])
    expect(body.cells.find(({ cell }) => cell === first)!.beyond).toBe(1)
    expect(body.cells.find(({ cell }) => cell === first + 5)!.beyond).toBe(0)

    const [begins] = body.moments.filter(({ cell }) => cell === first)
    await house.pool.query(
      `insert into log_event (device_id, at, seq, n, channel, source, event_id, level, text, shape)
       select *, 0 from (select $1::int, $2::timestamptz + n * interval '1 minute', 9, n, 'syslog', 'stock-count', null::bigint, 6, 'began' from generate_series(0, 3) n
       union all select $1::int, $2::timestamptz - n * interval '1 hour', 9, n, 'syslog', 'cron', null, 6, 'ran' from generate_series(1, 40) n) e`,
      [agent.id, time(begins!.from)],
    )
    const { body: then } = await get<RhythmHours>(
      `rhythm-hours?metric=cpu.busy&weeks=2&first=${first}&last=${first + 2}`,
    )
    expect(then.moments).toHaveLength(2)
    expect(then.moments[0]).toMatchObject({ from: begins!.from, until: begins!.from + 2 * hour })
    expect(then.series[0]!.metric).toBe('cpu.busy')
    expect(then.series[0]!.there - then.series[0]!.elsewhere).toBeGreaterThan(0.8)
    expect(then.series.map(({ metric }) => metric)).not.toContain('memory.size')
    expect(then.log).toMatchObject([{ source: 'stock-count', there: 4, moments: 1, total: 4, text: 'began' }])
  })
  it('is refused for hours that end before they begin, and for what is no metric', async () => {
    expect((await get('rhythm-hours?metric=cpu.busy&first=9&last=9')).body.detail).toContain('Choose a later end')
    expect((await get('rhythm?metric=cpu.bzy')).body.detail).toContain('“cpu.bzy”')
  })
})

describe('what changed', () => {
  it('is the series whose level is another since then, and no other', async () => {
    const { body } = await get<ChangedPage>(`changed?at=${changedAt + 20 * minute}`)
    expect(body.changes.map(({ metric }) => metric)).toEqual(['memory.available'])
    expect(body.changes[0]).toMatchObject({ deviceName: 'tm-book-1', level: -1 })
    expect(body.changes[0]!.shift).toBeCloseTo(-8192e6, -6)
    expect(body).toMatchObject({ looked: 2, unknown: 0 })
  })
  it('is nothing at another time, nor told of a time to come', async () => {
    expect((await get<ChangedPage>(`changed?at=${now - 9 * day}`)).body.changes).toEqual([])
    expect((await get(`changed?at=${now + day}`)).body.detail).toContain('Nobody knows yet')
  })
})

describe('beside a chart', () => {
  it('stand the levels in force, the alerts, the restart', async () => {
    const { body } = await get<SeriesMarks>(`marks?metric=memory.available&${bounds}`)
    // Judged as it came in, by the policy of now: over all of the time.
    expect(body.levels.map(({ severity, value, from }) => [severity, Math.round(value / 1e6), from])).toEqual([
      ['warning', 2621, now - 11 * day],
      ['critical', 983, now - 11 * day],
    ])
    expect(body.restarts).toHaveLength(1)
    expect(Math.abs(body.restarts[0]! - changedAt)).toBeLessThanOrEqual(1000)
    const { alerts } = (await get<SeriesMarks>(`marks?metric=cpu.busy&${bounds}`)).body
    expect(alerts.filter(({ isOfSeries }) => isOfSeries)).toHaveLength(2)
    expect(alerts.every(({ until }) => until !== null)).toBe(true)
  })
  it('a level that is changed goes on as another step from when it was', async () => {
    const { body: saved, status } = await house.lead<{ id: number }>('POST', '/api/exceptions', {
      target: { on: 'everyone' },
      watch: 'cpu',
      values: { notice: 0.7, warning: 0.8, clear: 0.6 },
      leftOut: false,
      reason: 'It is slow before that.',
      reviewAt: null,
    })
    expect([status, saved.detail]).toEqual([200, undefined])
    const [exception] = await rows<{ at: number }>(
      house.pool,
      'select saved_at as at from exception_revision where id = $1',
      [saved.id],
    )
    const { body } = await get<SeriesMarks>(`marks?metric=cpu.busy&from=${now - day}&until=${Date.now() + 1000}`)
    expect(body.levels.filter(({ severity }) => severity === 'warning')).toMatchObject([
      { value: 0.97, until: exception!.at + 1 },
      { value: 0.8, from: exception!.at + 1 },
    ])
  })
})

describe('single readings', () => {
  it('are told newest first in parts, to the last one', async () => {
    const found: { at: number; value: number }[] = []
    let until = now + 1
    for (let next: number | null = until; next !== null;) {
      until = next
      const part: ReadingsPart = (
        await get<ReadingsPart>(`readings?metric=cpu.busy&from=${now - 11 * day}&until=${until}&limit=700`)
      ).body
      found.push(...part.readings)
      next = part.next
    }
    const expected = Array.from({ length: 11 * 144 }, (_, i) => now - 11 * day + i * 10 * minute).reverse()
    expect(found.map(({ at }) => at)).toEqual(expected)
    expect(found[5]!.value).toBeCloseTo(readingsAt(expected[5]!)[0]![2], 3)
  })
  it('go out as CSV, all of them', async () => {
    const { body, type } = await get<string>(`series.csv?metrics=cpu.busy,memory.available&${bounds}`)
    expect(type).toContain('text/csv')
    const lines = (body as string).trim().split('\r\n')
    expect(lines[0]).toBe('time,metric,instance,value')
    expect(lines).toHaveLength(1 + 2 * 11 * 144)
    expect(lines[1]).toBe(
      `${new Date(now - 11 * day).toISOString()},cpu.busy,,${Math.round(readingsAt(now - 11 * day)[0]![2] * 1000) / 1000}`,
    )
    expect((await get(`series.csv?metrics=cpu.busy&from=0&until=${now}`)).body.detail).toContain('420 days')
  })
  it('can be asked for all at once, whatever there is', async () => {
    const all = Object.keys(metrics).join(',')
    expect((await get(`series?metrics=${all}&${bounds}`)).status).toBe(200)
    expect((await get(`series?metrics=${all},cpu.busy,cpu.busy&${bounds}`)).status).toBe(400)
  })
  it('are not told to another client’s contact', async () => {
    for (const path of ['readings?metric=cpu.busy', 'marks?metric=cpu.busy', 'series.csv?metrics=cpu.busy'])
      expect((await get(`${path}&${bounds}`, house.contact)).status).toBe(404)
    for (const path of ['rhythm?metric=cpu.busy', 'rhythm-hours?metric=cpu.busy&first=1&last=2', 'changed?at=1'])
      expect((await get(path, house.contact)).status).toBe(404)
  })
})

describe('all devices by one series', () => {
  it('stand by what is worst over days that are over, with the newest reading, for whoever sees them', async () => {
    const quiet = await house.enrol(house.sites[1], 'bb-quiet-1')
    // The days before have been over for an hour.
    const today = Math.floor((now - hour) / day) * day
    const report = (at: number, free: number) => ({
      ...quiet.report(0),
      at,
      readings: [
        ['cpu.busy', '', 0.05],
        ['disk.size', '/', 1024e9],
        ['disk.free', '/', free],
      ],
    })
    for (let ago = 10; ago > 0; ago--)
      await quiet.send([1, 9, 17].map((at) => report(today - ago * day + at * hour, (100 + 20 * ago) * 1024e6)))
    await quiet.send([report(now - minute, 110 * 1024e6)])
    await packReadings(house.pool, now, async () => undefined)
    const path = (more: string) => `/api/estate/series?metric=cpu.busy&days=7${more}`
    const { body } = await house.lead<EstateSeries>('GET', path('&order=mean'))
    expect(body).toMatchObject({ total: 2, isScarce: false, until: today, from: today - 7 * day })
    expect(body.rows.map(({ deviceName }) => deviceName)).toEqual(['tm-book-1', 'bb-quiet-1'])
    expect(body.rows[1]).toMatchObject({ clientName: 'Brindle Bakeries', last: 0.05, mean: 0.05, min: 0.05, max: 0.05 })
    expect(Math.abs(body.rows[1]!.p95 - 0.05)).toBeLessThanOrEqual(0.0005)
    expect(body.rows[1]!.means).toHaveLength(28)
    // The same mean from what was told.
    const own = Array.from({ length: 11 * 144 }, (_, i) => now - 11 * day + i * 10 * minute).filter(
      (at) => at >= today - 7 * day && at < today,
    )
    const mean = own.reduce((sum, at) => sum + Math.round(1000 * readingsAt(at)[0]![2]) / 1000, 0) / own.length
    expect(body.rows[0]!.mean).toBeCloseTo(mean, 9)

    const theirs = await house.contact<EstateSeries>('GET', path(''))
    expect(theirs.body.rows.map(({ deviceName }) => deviceName)).toEqual(['bb-quiet-1'])
    for (const none of ['&words=no_such', '&kind=workstation', `&client=${house.clients[0]}&words=quiet`])
      expect((await house.lead<EstateSeries>('GET', path(none))).body.total).toBe(0)
    expect((await house.lead<EstateSeries>('GET', path('&words=QUIET'))).body.total).toBe(1)
  })
  it('and disks by when they are full, at their pace of the last days', async () => {
    const { body } = await house.lead<FillingDisks>('GET', '/api/estate/filling')
    expect(body).toMatchObject({ looked: 1, unknown: 0, total: 1 })
    const [disk] = body.rows
    expect(disk).toMatchObject({
      deviceName: 'bb-quiet-1',
      instance: '/',
      free: 110 * 1024e6,
      size: 1024e9,
      clearedEvery: null,
    })
    expect(disk!.perDay).toBeCloseTo(-20 * 1024e6, -3)
    expect(Math.abs(disk!.fullAt - Date.now() - 5.5 * day)).toBeLessThan(minute)
    // Every day less by the same: it is as certain as can be.
    expect(disk!.latestAt! - disk!.soonestAt).toBeLessThan(minute)
    const page = await house.lead<DevicePage>('GET', `/api/devices/${disk!.deviceId}`)
    expect(page.body.fills).toMatchObject([{ mount: '/', clearedEvery: null, perDay: disk!.perDay }])
    expect(Math.abs(page.body.fills[0]!.likely - 5.5 * day)).toBeLessThan(minute)
    const theirs = await house.lead<DevicePage>(
      'GET',
      `/api/devices/${(await house.enrol(house.sites[1], 'bb-new-1')).id}`,
    )
    expect(theirs.body.fills).toEqual([])
    expect((await house.lead<FillingDisks>('GET', `/api/estate/filling?client=${house.clients[0]}`)).body.total).toBe(0)
    const limited = await house.personWith('technician', [house.clients[0]])
    expect((await limited.ask<FillingDisks>('GET', '/api/estate/filling')).body).toMatchObject({ looked: 0, rows: [] })
  })
})
