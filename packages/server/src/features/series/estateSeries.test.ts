import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { estateSeriesOrders, type EstateSeries } from '#contract'
import { day, hour, minute, quantile, sketchOf, sketchQuantile, type MetricName } from '#core'
import { inTransaction, makePartitions, rows } from '../../db'
import { packingRound } from '../../engine/packing'
import { dayOf, emptyDay, packingLock, rollUp, seriesKey, type DeviceDay } from '../../store/series'
import { openHouse, type House } from '../../testing/house'

let house: House
/** The first day that has not been over for an hour. */
const today = Math.floor((Date.now() - hour) / day)
const devices = 240
/** Of each device and day what it reads; of some days nothing. */
const made = new Map<number, Map<number, Record<'cpu.busy' | 'memory.available', number[]>>>()

/** The readings of a device; of each kind of trouble for an order by percentiles there are some. */
function valuesOf(kind: number, index: number, take: (most: number) => number): number[] {
  if (take(9) === 0) return []
  const count = kind === 0 ? 1 + take(4) : 20 + take(60)
  return Array.from({ length: count }, (_, i) => {
    if (kind === 1) return 500
    // High on few days alone, or for a part of each that is about one in twenty.
    if (kind === 2) return index % 3 === 0 ? 800 + take(150) : take(300)
    if (kind === 3) return i * 20 < count ? 900 + take(99) : take(200)
    return take(1000)
  }).map((value) => value / 1000)
}

beforeAll(async () => {
  house = await openHouse()
  const ids = (
    await rows<{ id: number }>(
      house.pool,
      `insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest)
       select $2, $3, 'tm-many-' || n, 'server', 'linux', 'Linux', '' from generate_series(1, $1::int) n returning id`,
      [devices, house.clients[0], house.sites[0]],
    )
  ).map(({ id }) => id)
  const random = fc.sample(fc.nat(), { numRuns: 400_000, seed: 7 })
  let next = 0
  const take = (most: number) => random[next++ % random.length]! % (most + 1)
  await makePartitions(house.pool, 'day_figure', (today - 40) * day, today * day)
  for (const deviceId of ids) {
    const days: DeviceDay[] = []
    const ofDevice = new Map<number, Record<'cpu.busy' | 'memory.available', number[]>>()
    made.set(deviceId, ofDevice)
    for (let index = today - 31; index < today; index++) {
      const busy = valuesOf(deviceId % 5, index, take)
      const memory = busy.map((value) => Math.round((1 - value) * 1000) * 65_536)
      if (!busy.length) continue
      ofDevice.set(index, { 'cpu.busy': busy, 'memory.available': memory })
      const at = Float64Array.from(busy, (_, i) => index * day + i * 10 * minute)
      const one = { ...emptyDay(deviceId, index), times: at }
      for (const [metric, values] of [
        ['cpu.busy', busy],
        ['memory.available', memory],
      ] as const)
        one.series.set(seriesKey({ metric, instance: '' }), {
          metric,
          instance: '',
          samples: { at, value: Float64Array.from(values) },
        })
      days.push(one)
    }
    await inTransaction(house.pool, async (tx) => {
      await packingLock(tx)
      await rollUp(tx, days)
    })
  }
})
afterAll(() => house.close())

interface Plain {
  deviceId: number
  min: number
  mean: number
  max: number
  p95: number
}
/** The same from all single readings. */
function plain(metric: 'cpu.busy' | 'memory.available', days: number): Plain[] {
  return [...made].flatMap(([deviceId, ofDevice]) => {
    const values = [...ofDevice].filter(([index]) => index >= today - days).flatMap(([, each]) => each[metric])
    if (!values.length) return []
    const [min, max] = [Math.min(...values), Math.max(...values)]
    const sketch = sketchOf(Float64Array.from(values))
    const at = (p: number) => Math.min(max, Math.max(min, sketchQuantile(sketch, p)))
    return [
      {
        deviceId,
        min,
        mean: values.reduce((a, b) => a + b, 0) / values.length,
        max,
        p95: at(metric === 'cpu.busy' ? 0.95 : 0.05),
      },
    ]
  })
}
const ask = async (metric: MetricName, days: number, order: string, limit: number, beyond?: number) =>
  (
    await house.lead<EstateSeries>(
      'GET',
      `/api/estate/series?metric=${metric}&days=${days}&order=${order}&limit=${limit}${beyond === undefined ? '' : `&beyond=${beyond}`}`,
    )
  ).body

describe.each(['cpu.busy', 'memory.available'] as const)('%s on all devices', (metric) => {
  const sign = metric === 'cpu.busy' ? 1 : -1
  it.each(
    [1, 7, 30].flatMap((days) =>
      [1, 10, 100, 500].flatMap((limit) =>
        estateSeriesOrders.filter((order) => order !== 'last').map((order) => [days, limit, order] as const),
      ),
    ),
  )('over %i days, the worst %i by %s, are what all single readings say', async (days, limit, order) => {
    const expected = plain(metric, days).sort((a, b) => sign * (b[order] - a[order]) || a.deviceId - b.deviceId)
    const { total, rows: found } = await ask(metric, days, order, limit)
    expect(total).toBe(expected.length)
    const near = (value: number) => Number(value.toPrecision(9))
    const words = ({ deviceId, min, mean, max, p95 }: Plain) => [deviceId, ...[min, mean, max, p95].map(near)]
    expect(found.map(words)).toEqual(expected.slice(0, limit).map(words))
    expect(found.every(({ means }) => means.some((mean) => mean !== null))).toBe(true)
  })
  it.each(
    [1, 30].flatMap((days) =>
      [5, 500].flatMap((limit) =>
        (['mean', 'p95'] as const).flatMap((order) =>
          [0.02, 0.4, 1].map((share) => [days, limit, order, share] as const),
        ),
      ),
    ),
  )(
    'over %i days, %i at most, by %s: those alone that are beyond what %f of all are',
    async (days, limit, order, share) => {
      const all = plain(metric, days).sort((a, b) => sign * (b[order] - a[order]) || a.deviceId - b.deviceId)
      const beyond = all[Math.round(share * (all.length - 1))]![order]
      const expected = all.filter((one) => sign * (one[order] - beyond) >= 0)
      // A little to this side: both have added the same numbers up in another order.
      const { total, isTotalMost, rows: found } = await ask(metric, days, order, limit, beyond * (1 - sign * 1e-9))
      expect(found.map(({ deviceId }) => deviceId)).toEqual(expected.slice(0, limit).map(({ deviceId }) => deviceId))
      if (isTotalMost) expect(total).toBeGreaterThanOrEqual(expected.length)
      else expect(total).toBe(expected.length)
      // Where all of them are told it is known how many there are.
      if (expected.length < limit) expect(isTotalMost).toBe(false)
    },
  )
  it('the percentile is near that of all single readings', async () => {
    for (const { deviceId, p95 } of (await ask(metric, 30, 'p95', 500)).rows) {
      const values = [...made.get(deviceId)!]
        .filter(([index]) => index >= today - 30)
        .flatMap(([, each]) => each[metric])
      const sorted = Float64Array.from(values).sort()
      const rank = Math.floor((sign === 1 ? 0.95 : 0.05) * (sorted.length - 1))
      expect(Math.abs(p95 - sorted[rank]!)).toBeLessThanOrEqual(0.0101 * sorted[rank]!)
      expect(quantile(sorted, 1)).toBeGreaterThanOrEqual(p95)
    }
  })
})

it('what is kept of figures alone is told, as bad as it may be', async () => {
  const [worst] = (await ask('cpu.busy', 30, 'p95', 1)).rows
  const rolled = await rows<Record<string, unknown>>(
    house.pool,
    'delete from rollup where device_id = $1 returning device_id, n, week, data',
    [worst!.deviceId],
  )
  const [still] = (await ask('cpu.busy', 30, 'p95', 1)).rows
  expect(still).toMatchObject({ deviceId: worst!.deviceId, min: worst!.min, mean: worst!.mean, max: worst!.max })
  expect(still!.p95).toBeGreaterThanOrEqual(worst!.p95)
  expect([worst!.isWorstCase, still!.isWorstCase]).toEqual([false, true])
  expect(still!.means.every((mean) => mean === null)).toBe(true)
  await house.pool.query(
    `insert into rollup (device_id, n, week, data)
     select * from unnest($1::int[], $2::int[], $3::date[], $4::bytea[])`,
    ['device_id', 'n', 'week', 'data'].map((column) => rolled.map((row) => row[column])),
  )
})

it('figures that a version before had not made are made from what it summed up, and are the same', async () => {
  const figures = () => rows(house.pool, 'select * from day_figure order by device_id, n, day')
  const before = await figures()
  expect(before.length).toBeGreaterThan(devices * 40)
  await house.pool.query('truncate day_figure')
  await house.pool.query('insert into figure_due select id from device')
  const count = (await rows(house.pool, 'select from device')).length
  expect(await ask('cpu.busy', 7, 'p95', 10)).toMatchObject({ total: 0, due: count })
  await packingRound(house.pool, Date.now())
  expect(await figures()).toEqual(before)
  expect((await ask('cpu.busy', 7, 'p95', 10)).due).toBe(0)
  expect(await rows(house.pool, 'select from figure_due')).toEqual([])
  expect(dayOf(today * day)).toBe(today)
})
