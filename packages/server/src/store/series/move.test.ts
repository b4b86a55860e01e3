import { afterAll, beforeAll, expect, it } from 'vitest'
import { day, hour, type DeviceId, type Millis } from '#core'
import { packReadings } from '../../engine/packing'
import { firstRow, rows, time } from '../../db'
import { openHouse, type House } from '../../testing/house'
import { askSeries } from './ask'
import { readReadings } from './readings'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

/** Up to a day that has been over for an hour: of one that ended just now the last is not packed yet. */
const begin = Math.floor((Date.now() - 5 * day - hour) / day) * day
const noPause = async () => undefined

/** One report an hour, with the hour as its load, but for those that are left out. */
async function report(id: DeviceId, from: Millis, until: Millis, isIn: (n: number) => boolean): Promise<Millis[]> {
  const layout = await firstRow<{ id: number }>(
    house.pool,
    `insert into layout (digest, series) values ('x', '[["load.5", ""]]')
     on conflict (digest) do update set digest = excluded.digest returning id`,
  )
  const times: Millis[] = []
  for (let at = from; at < until; at += hour) if (isIn(Math.round((at - begin) / hour))) times.push(at)
  await house.pool.query(
    `insert into report (device_id, at, seq, received_at, late, layout_id, value)
     select $1, at, n, at, false, $2, array[extract(epoch from at) / 3600 - $3]
     from unnest($4::timestamptz[]) with ordinality r (at, n)`,
    [id, layout!.id, begin / hour, times.map((at) => time(at))],
  )
  return times
}

it('a device that another is merged into has the readings of both, packed, summed up and as they came', async () => {
  const kept = await house.enrol(house.sites[0], 'tm-new-disk')
  const old = await house.enrol(house.sites[0], 'tm-old-disk')
  const its = await report(kept.id, begin + 2 * day, begin + 5 * day, (n) => n % 3 === 0)
  const theirs = await report(old.id, begin, begin + 4 * day, (n) => n % 2 === 0)
  await packReadings(house.pool, Date.now(), noPause)
  // Nothing is kept of the oldest day but what it came to.
  await house.pool.query(`delete from packed where day = $1`, [new Date(begin).toISOString().slice(0, 10)])
  await house.pool.query(`delete from report where at < $1`, [time(begin + day)])
  const merged = await house.lead('POST', `/api/devices/${kept.id}/merge`, { from: old.id })
  expect(merged.status).toBe(200)
  const all = [...new Set([...its, ...theirs])].sort((a, b) => a - b)
  for (const isPackedAgain of [false, true]) {
    if (isPackedAgain) {
      await packReadings(house.pool, Date.now(), noPause)
      await house.pool.query('delete from report')
    }
    const read = await readReadings(house.pool, kept.id, null, begin, Date.now())
    const { at, value } = read.get('load.5|')!.samples
    expect([...at]).toEqual(all.filter((each) => each >= begin + day))
    expect([...value]).toEqual([...at].map((each) => (each - begin) / hour))
    const { series } = await askSeries(house.pool, {
      deviceId: kept.id,
      metrics: ['load.5'],
      from: begin,
      until: begin + 5 * day,
      points: 200,
    })
    expect(series[0]!.points.map((point) => [point.at, point.count, point.max])).toEqual(
      all.map((each) => [each, 1, (each - begin) / hour]),
    )
  }
  for (const table of ['packed', 'rollup', 'report_day', 'series', 'packed_to', 'pack_due', 'report'])
    expect([table, await rows(house.pool, `select from ${table} where device_id = $1`, [old.id])]).toEqual([table, []])
})

it('a device that has told nothing yet has the history of the one that it was before at once', async () => {
  const old = await house.enrol(house.sites[0], 'tm-broken')
  const times = await report(old.id, begin, begin + 3 * day, (n) => n % 2 === 0)
  await packReadings(house.pool, Date.now(), noPause)
  await house.pool.query('delete from packed where day = $1', [new Date(begin).toISOString().slice(0, 10)])
  await house.pool.query('delete from report')
  const fresh = await house.enrol(house.sites[0], 'tm-repaired')
  expect((await house.lead('POST', `/api/devices/${fresh.id}/merge`, { from: old.id })).status).toBe(200)
  const { series } = await askSeries(house.pool, {
    deviceId: fresh.id,
    metrics: ['load.5'],
    from: begin,
    until: Date.now(),
    points: 200,
  })
  expect(series[0]!.summary!.count).toBe(times.length)
})
