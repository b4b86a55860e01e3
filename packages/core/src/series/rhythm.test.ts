import fc from 'fast-check'
import { DateTime } from 'luxon'
import { quantileSorted } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { day, hour, minute, type Millis } from '../units'
import { atThatTime, localClock, rhythmOf } from './rhythm'
import type { Samples } from './samples'

const zones = ['Europe/Lisbon', 'Europe/Vienna', 'Asia/Kathmandu', 'America/St_Johns', 'Australia/Lord_Howe', 'UTC']
const made = (from: Millis, until: Millis, step: Millis, value: (at: Millis) => number): Samples => {
  const at = Float64Array.from({ length: Math.ceil((until - from) / step) }, (_, i) => from + i * step)
  return { at, value: at.map(value) }
}
/** A little of everything, and the same every time. */
const wobble = (at: Millis) => ((at / minute) * 7919) % 13

describe('the clock of a site', () => {
  it('is that of the zone, also around the days on which clocks are changed (against Luxon)', () =>
    fc.assert(
      fc.property(
        fc.constantFrom(...zones),
        fc.array(fc.integer({ min: Date.UTC(2024, 0), max: Date.UTC(2028, 0) }), { minLength: 1, maxLength: 40 }),
        (zone, times) => {
          const clock = localClock(zone)
          for (const at of times) {
            const there = DateTime.fromMillis(at, { zone })
            expect(clock(at)).toBe(at + there.offset * minute)
          }
        },
      ),
    ))
})

describe('when it happens', () => {
  const from = Date.UTC(2026, 9, 12)
  it('each reading counts once, in the hour of the week that it was on the clocks of the site', () =>
    fc.assert(
      fc.property(
        fc.constantFrom(...zones),
        fc.uniqueArray(fc.integer({ min: 0, max: 30 * day }), { minLength: 1, maxLength: 300, size: 'max' }),
        (zone, offsets) => {
          const at = Float64Array.from(
            offsets.sort((a, b) => a - b),
            (offset) => from + offset,
          )
          const value = at.map(wobble)
          const { cells, moments } = rhythmOf({ at, value }, zone, 1, 6)
          const expected = new Map<number, number[]>()
          at.forEach((time, i) => {
            const there = DateTime.fromMillis(time, { zone })
            const cell = (there.weekday - 1) * 24 + there.hour
            expected.set(cell, [...(expected.get(cell) ?? []), value[i]!])
          })
          expect(cells.map(({ cell }) => cell)).toEqual([...expected.keys()].sort((a, b) => a - b))
          for (const { cell, median, p95, beyond } of cells) {
            const sorted = expected.get(cell)!.sort((a, b) => a - b)
            expect(beyond).toBeCloseTo(sorted.filter((each) => each > 6).length / sorted.length, 12)
            // simple-statistics takes the middle of an even number, too; its other quantiles are steps.
            expect(median).toBeCloseTo(quantileSorted(sorted, 0.5), 9)
            expect(p95).toBeGreaterThanOrEqual(median)
            expect(p95).toBeLessThanOrEqual(sorted.at(-1)!)
          }
          expect(moments.reduce((sum, { count }) => sum + count, 0)).toBe(at.length)
          for (const { week, cell, from: first } of moments) {
            const there = DateTime.fromMillis(first, { zone })
            expect(DateTime.fromMillis(week * day, { zone: 'UTC' }).toISODate()).toBe(there.startOf('week').toISODate())
            expect(cell).toBe((there.weekday - 1) * 24 + there.hour)
          }
        },
      ),
      { numRuns: 60 },
    ))

  const zone = 'Europe/Vienna'
  const clock = localClock(zone)
  const isTuesdayMorning = (at: Millis) => {
    const there = DateTime.fromMillis(at, { zone })
    return there.weekday === 2 && there.hour >= 8 && there.hour < 10
  }
  /** People work from 9 to 17 on working days. */
  const usual = (at: Millis) => {
    const local = new Date(clock(at))
    const works = local.getUTCDay() % 6 > 0 && local.getUTCHours() >= 9 && local.getUTCHours() < 17
    return (works ? 40 : 8) + wobble(at) / 4
  }
  it('Tuesday mornings stand out, over the night in which clocks are changed; what every working day has does not', () => {
    const samples = made(from, from + 28 * day, 5 * minute, (at) => usual(at) + (isTuesdayMorning(at) ? 45 : 0))
    const { standingOut } = rhythmOf(samples, zone, 1, null)
    expect(standingOut.map(({ from: first, until }) => [first, until])).toEqual([[24 + 8, 24 + 10]])
    expect(standingOut[0]!.median).toBeGreaterThan(50)
  })
  it('and where less is worse, what is low', () => {
    const samples = made(from, from + 28 * day, 5 * minute, (at) => 100 - usual(at) - (isTuesdayMorning(at) ? 45 : 0))
    expect(rhythmOf(samples, zone, -1, null).standingOut.map(({ from: first }) => first)).toEqual([32])
    expect(rhythmOf(samples, zone, 1, null).standingOut).toEqual([])
  })
  it('nothing stands out of noise, of what never changes, of one week or of nothing', () => {
    fc.assert(
      fc.property(fc.infiniteStream(fc.integer({ min: 0, max: 1000 })), (noise) => {
        const samples = made(from, from + 28 * day, 15 * minute, () => noise.next().value as number)
        expect(rhythmOf(samples, zone, 1, null).standingOut).toEqual([])
      }),
      { numRuns: 20 },
    )
    expect(
      rhythmOf(
        made(from, from + 28 * day, hour / 2, () => 3),
        zone,
        1,
        null,
      ).standingOut,
    ).toEqual([])
    const week = made(from, from + 7 * day, 5 * minute, (at) => usual(at) + (isTuesdayMorning(at) ? 45 : 0))
    expect(rhythmOf(week, zone, 1, null).standingOut).toEqual([])
    const empty = { at: new Float64Array(0), value: new Float64Array(0) }
    expect(rhythmOf(empty, zone, 1, 1)).toEqual({ cells: [], moments: [], standingOut: [] })
  })
  it('another series is compared with the same hours of other days', () => {
    const samples = made(from, from + 28 * day, 5 * minute, (at) => usual(at) + (isTuesdayMorning(at) ? 45 : 0))
    const { moments } = rhythmOf(samples, zone, 1, null)
    const tuesday = atThatTime(moments, ({ cell }) => cell === 32 || cell === 33, 0.1)!
    expect(tuesday.there - tuesday.elsewhere).toBeGreaterThan(40)
    expect(tuesday.times).toBeGreaterThan(4)
    const wednesday = atThatTime(moments, ({ cell }) => cell === 56 || cell === 57, 0.1)!
    expect(wednesday.times).toBeLessThan(2)
    expect(atThatTime(moments, () => true, 0.1)).toBeNull()
  })
})
