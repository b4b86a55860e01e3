import { readFile } from 'node:fs/promises'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  day,
  hour,
  metrics,
  minute,
  pointsOf,
  quantile,
  rounded,
  sketchError,
  type DeviceId,
  type MetricName,
  type Millis,
} from '#core'
import { rows, time } from '../../db'
import { packReadings } from '../../engine/packing'
import { openHouse, type House } from '../../testing/house'
import { askSeries } from './ask'
import { readReadings } from './readings'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

const noPause = async () => undefined
const pack = (now: Millis) => packReadings(house.pool, now, noPause)

type Names = readonly (readonly [MetricName, string])[]
const layouts: readonly Names[] = [
  [
    ['cpu.busy', ''],
    ['memory.available', ''],
    ['disk.free', '/'],
  ],
  [['cpu.busy', '']],
  [
    ['cpu.busy', ''],
    ['disk.free', '/'],
    ['disk.free', '/var'],
    ['certificate.left', '443'],
  ],
]
interface Told {
  at: Millis
  layout: number
  values: number[]
}

let layoutIds: number[] = []
let seq = 0
/** Reports as the engine stores them, and the mark that it leaves for those that come late. */
async function store(deviceId: DeviceId, reports: readonly Told[], now: Millis): Promise<void> {
  layoutIds = layoutIds.length
    ? layoutIds
    : (
        await rows<{ id: number }>(
          house.pool,
          `insert into layout (digest, series) select sha256(s::text::bytea), s
           from jsonb_array_elements($1::jsonb) with ordinality l (s, n) order by n returning id`,
          [JSON.stringify(layouts)],
        )
      ).map(({ id }) => id)
  await house.pool.query(
    `with given as (select * from unnest($2::timestamptz[], $3::bigint[], $4::int[], $5::text[]) g (at, seq, layout, value)),
     stored as (insert into report (device_id, at, seq, received_at, late, layout_id, value)
       select $1, at, seq, $6, false, layout, value::float8[] from given)
     insert into pack_due (device_id, day) select distinct $1::int, (at at time zone 'UTC')::date from given
     where at < $6::timestamptz - interval '5 minutes'`,
    [
      deviceId,
      reports.map(({ at }) => time(at)),
      reports.map(() => ++seq),
      reports.map(({ layout }) => layoutIds[layout]),
      reports.map(({ values }) => `{${values.join()}}`),
      time(now),
    ],
  )
}

/** What came last of each time of each series. */
function samplesOf(told: readonly Told[]): Map<string, Map<Millis, number>> {
  const series = new Map<string, Map<Millis, number>>()
  for (const { at, layout, values } of told)
    layouts[layout]!.forEach(([metric, instance], i) => {
      const key = `${metric}|${instance}`
      series.set(key, (series.get(key) ?? new Map<Millis, number>()).set(at, values[i]!))
    })
  return series
}

/** Evenly spread, which doubles are not: most of them lie close to nothing. */
const part = fc.integer({ min: 0, max: 10_000 }).map((n) => n / 10_000)
const start = Math.floor((Date.now() - 9 * day) / day) * day
const report = fc.record({
  /** So far after the one before; now and then hours. */
  gap: fc.oneof(
    { weight: 20, arbitrary: fc.integer({ min: 50 * 1000, max: 70 * 1000 }) },
    { weight: 1, arbitrary: fc.integer({ min: 0, max: 8 * hour }) },
  ),
  layout: fc.nat(layouts.length - 1),
  parts: fc.array(part, { minLength: 4, maxLength: 4 }),
  /** Told only that much later. */
  late: fc.oneof(
    { weight: 9, arbitrary: fc.constant(0) },
    { weight: 1, arbitrary: fc.integer({ min: 0, max: 3 * day }) },
  ),
})
const valueOf = (metric: MetricName, part: number) => {
  const { min, max } = metrics[metric]
  return rounded(
    metric,
    metric === 'cpu.busy' ? part : Math.max(min, -1e6) + part * (Math.min(max, 1e12) - Math.max(min, -1e6)),
  )
}

describe('readings', () => {
  it('are what was told, over any time and in spans of any width: as they came, packed or summed up, late or twice', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(report, { minLength: 1, maxLength: 400, size: 'max' }),
        // Some of an hour or two, which may lie in a gap.
        fc.array(
          fc.tuple(
            part,
            fc.oneof(
              part,
              part.map((n) => n / 40),
            ),
            fc.oneof(fc.integer({ min: 1, max: 12 }), fc.integer({ min: 1, max: 2000 })),
          ),
          {
            minLength: 6,
            maxLength: 6,
          },
        ),
        fc.array(part, { maxLength: 6, size: 'max' }),
        fc.boolean(),
        async (reports, questions, packings, isDropped) => {
          const { id } = await house.enrol(house.sites[0], `tm-series-${++seq}`)
          let last = start
          const told = reports.map(({ gap, layout, parts, late }) => {
            last += gap
            const values = layouts[layout]!.map(([metric], i) => valueOf(metric, parts[i]!))
            return { at: last, layout, values, heard: last + late }
          })
          // In the order in which they came in, with the packing in between.
          const inOrder = told.map((each, i) => ({ ...each, i })).sort((a, b) => a.heard - b.heard || a.i - b.i)
          const stops = packings.map((part) => Math.floor(part * inOrder.length)).sort((a, b) => a - b)
          let done = 0
          for (const stop of [...stops, inOrder.length]) {
            const part = inOrder.slice(done, stop)
            for (const each of part) await store(id, [each], each.heard)
            const now = inOrder[stop - 1]?.heard
            if (now !== undefined && stop < inOrder.length) await pack(now)
            done = Math.max(done, stop)
          }
          // Asked with what came since, or once all is packed and no report is kept as it came.
          if (isDropped) {
            await pack(last + 4 * day)
            await house.pool.query('delete from report where device_id = $1', [id])
          }
          const raw = samplesOf(inOrder)
          const span = last - start + 1
          for (const [where, length, points] of questions) {
            const from = Math.floor(start + where * span)
            const until = Math.max(from + 1, Math.floor(from + length * span))
            const expected = new Map(
              [...raw].flatMap(([key, samples]) => {
                const inside = [...samples].filter(([at]) => at >= from && at < until).sort(([a], [b]) => a - b)
                return inside.length ? [[key, inside] as const] : []
              }),
            )
            const read = await readReadings(house.pool, id, null, from, until)
            expect(
              new Map(
                [...read].map(([key, { samples }]) => [key, [...samples.at].map((at, i) => [at, samples.value[i]])]),
              ),
            ).toEqual(expected)
            const { width, series } = await askSeries(house.pool, { deviceId: id, metrics: null, from, until, points })
            expect(new Set(series.map(({ metric, instance }) => `${metric}|${instance}`))).toEqual(
              new Set(expected.keys()),
            )
            for (const { metric, instance, points: found, summary } of series) {
              const inside = expected.get(`${metric}|${instance}`)!
              const samples = {
                at: Float64Array.from(inside, ([at]) => at),
                value: Float64Array.from(inside, ([, value]) => value),
              }
              const exact = pointsOf(samples, width)
              expect(found.map((point) => ({ ...point, mean: 0 }))).toEqual(
                exact.map((point) => ({ ...point, mean: 0 })),
              )
              found.forEach((point, i) =>
                expect(Math.abs(point.mean - exact[i]!.mean)).toBeLessThanOrEqual(
                  1e-9 * Math.abs(exact[i]!.mean) + 1e-12,
                ),
              )
              const sorted = samples.value.slice().sort()
              expect(summary).toMatchObject({
                count: sorted.length,
                min: sorted[0],
                max: sorted.at(-1),
                last: samples.value.at(-1),
              })
              // Summed up, it is the reading of that rank; from readings, between the two that are nearest to it.
              const p95 = summary!.p95Error ? sorted[Math.floor(0.95 * (sorted.length - 1))]! : quantile(sorted, 0.95)
              expect(Math.abs(summary!.p95 - p95)).toBeLessThanOrEqual(sketchError * Math.abs(p95) * (1 + 1e-9))
            }
          }
        },
      ),
      { numRuns: 30, endOnFailure: true },
    )
  }, 240_000)

  it.each([
    ['that is switched off each afternoon', 8, 17.5],
    ['that is on at night alone', 0, 5],
    ['that tells nothing in the last hours of a day', 0, 20.9],
    ['that tells all day', 0, 24],
  ])('of a machine %s are summed up, each day as it ends', async (_, from, until) => {
    const { id } = await house.enrol(house.sites[0], `tm-office-${++seq}`)
    const told: Told[] = []
    for (let at = start; at < start + 3 * day; at += 30 * minute)
      if (at % day >= from * hour && at % day < until * hour)
        told.push({ at, layout: 1, values: [((at / minute) % 97) / 100] })
    // As the job does it, some times an hour.
    for (let at = start; at < start + 4 * day; at += 20 * minute) {
      const since = told.filter((each) => each.at > at - 20 * minute && each.at <= at)
      if (since.length) await store(id, since, at)
      await pack(at)
    }
    const figures = async () =>
      (
        await rows<{ day: number; count: number }>(
          house.pool,
          `select day - '1970-01-01'::date as day, count from day_figure where device_id = $1 order by day`,
          [id],
        )
      ).map((one) => [one.day, one.count])
    const each = [0, 1, 2].map((n) => [start / day + n, told.length / 3])
    expect(await figures()).toEqual(each)
    // What a version before left out is made up for, where that can be: it summed up days that went on to their end.
    if (until < 21) {
      await house.pool.query('delete from day_figure where device_id = $1', [id])
      await house.pool.query('delete from rollup where device_id = $1', [id])
      await house.pool.query(
        await readFile(new URL('../../db/migrations/0057_days_summed.sql', import.meta.url), 'utf8'),
      )
      await pack(start + 5 * day)
      expect(await figures()).toEqual(each)
    }
    await house.pool.query('delete from report where device_id = $1', [id])
    const asked = { deviceId: id, metrics: null, from: start, until: start + 4 * day, points: 96 }
    const { level, series } = await askSeries(house.pool, asked)
    expect([level, series.map(({ summary }) => summary!.count)]).toEqual(['hours', [told.length]])
  })
})
