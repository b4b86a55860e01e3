import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import { day, minute } from '../../units'
import { hoursOf } from '../hours'
import { metrics, rounded, type MetricName } from '../metrics'
import { sketchOf } from '../sketch'
import { largestPacked } from './column'
import { packIntegers, packSeries, unpackIntegers, unpackSeries } from './day'
import { packWeek, unpackWeek } from './week'

/** Series as machines have them: rising, level with noise, at rest with a spike, at random, of any size. */
const integers = fc.oneof(
  fc.array(fc.integer({ min: -largestPacked, max: largestPacked })),
  fc.array(fc.integer({ min: -200, max: 200 }), { maxLength: 400 }),
  fc.tuple(fc.integer(), fc.integer({ min: 0, max: 500 })).map(([value, n]) => Array<number>(n).fill(value)),
  fc
    .tuple(fc.array(fc.nat(3), { minLength: 1, maxLength: 300 }), fc.nat(), fc.integer({ min: 0, max: largestPacked }))
    .map(([list, i, spike]) => list.with(i % list.length, spike)),
  fc.tuple(fc.integer(), fc.array(fc.nat(90_000))).map(([first, steps]) => {
    let last = first
    return steps.map((step) => (last += step))
  }),
)

describe('packed integers', () => {
  it('come out as they went in, several columns beside each other', () =>
    fc.assert(
      fc.property(integers, integers, (a, b) => {
        const [first, second] = unpackIntegers(packIntegers(a, b), 2)
        expect([...first!]).toEqual(a)
        expect([...second!]).toEqual(b)
      }),
      { numRuns: 500 },
    ))
  it('a spike costs itself: a minute of nothing but one great number stays small', () => {
    const quiet = Array<number>(1440).fill(5)
    expect(packIntegers(quiet).length).toBeLessThan(40)
    expect(packIntegers(quiet.with(700, largestPacked)).length).toBeLessThan(80)
  })
  it('of blocks of a disk need no more than the number of blocks', () => {
    const blocks = Array.from({ length: 1440 }, (_, i) => (i * 7919) % 1000)
    expect(packIntegers(blocks.map((n) => n * 4096)).length).toBe(packIntegers(blocks).length)
  })
  it('refuses what cannot be packed', () => {
    expect(() => packIntegers([0.5])).toThrow(RangeError)
    expect(() => packIntegers([NaN])).toThrow(RangeError)
    expect(() => packIntegers([2 * largestPacked])).toThrow(RangeError)
  })
  it('say that they are damaged when they are cut, or of another format', () => {
    const bytes = packIntegers(Array.from({ length: 100 }, (_, i) => (i * 7919) % 1000))
    for (let length = 0; length < bytes.length - 1; length += 7)
      expect(() => unpackIntegers(bytes.slice(0, length), 1)).toThrow(/damaged/)
    expect(() => unpackIntegers(Uint8Array.of(9, ...bytes.slice(1)), 1)).toThrow(/format 9/)
  })
})

const names = Object.keys(metrics) as MetricName[]
const series = fc.record({
  metric: fc.constantFrom(...names),
  steps: fc.array(
    fc.record({
      gap: fc.integer({ min: 1, max: 200_000 }),
      isIn: fc.boolean(),
      part: fc.double({ min: 0, max: 1, noNaN: true }),
    }),
    {
      maxLength: 200,
    },
  ),
})

describe('a packed series', () => {
  it('has its readings, to the last bit of what its metric declares, at the times that are its own', () =>
    fc.assert(
      fc.property(series, ({ metric, steps }) => {
        let last = 1.7e12
        const reports = steps.map(({ gap, isIn, part }) => ({ at: (last += gap), isIn, part }))
        const { min, max } = metrics[metric]
        const own = reports.filter(({ isIn }) => isIn)
        const value = Float64Array.from(own, ({ part }) => min + part * (max - min))
        const times = Float64Array.from(reports, ({ at }) => at)
        const at = Float64Array.from(own, (report) => report.at)
        const back = unpackSeries(metric, times, packSeries(metric, times, { at, value }))
        expect([...back.at]).toEqual([...at])
        expect([...back.value]).toEqual([...value].map((reading) => rounded(metric, reading)))
      }),
    ))
  it('is refused where it belongs to other times', () => {
    const at = Float64Array.of(1, 2, 3)
    const value = Float64Array.of(0.1, 0.2, 0.3)
    expect(() => packSeries('cpu.busy', Float64Array.of(1, 3), { at, value })).toThrow(/no report/)
    const bytes = packSeries('cpu.busy', Float64Array.of(0, 1, 2, 3), { at, value })
    expect(() => unpackSeries('cpu.busy', Float64Array.of(1), bytes)).toThrow(/other times/)
    expect(() => unpackSeries('cpu.gone', at, bytes)).toThrow(/no metric/)
  })
})

describe('a packed week', () => {
  it('has its hours and its days', () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 4000 }),
        fc.array(fc.tuple(fc.integer({ min: 0, max: 7 * 1440 - 1 }), fc.integer({ min: -1e9, max: 1e9 }))),
        (week, list) => {
          const readings = [...new Map(list)].sort(([a], [b]) => a - b)
          const at = Float64Array.from(readings, ([n]) => week * 7 * day + n * minute)
          const value = Float64Array.from(readings, ([, left]) => left)
          const dates = new Set([...at].map((time) => Math.floor(time / day)))
          const days = new Map(
            [...dates].map((date) => [date, sketchOf(value.filter((_, i) => Math.floor(at[i]! / day) === date))]),
          )
          const given = { hours: hoursOf('certificate.left', { at, value }), days }
          expect(unpackWeek(week, packWeek(week, given))).toEqual(given)
        },
      ),
    ))
})
