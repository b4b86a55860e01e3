import { Temporal } from 'temporal-polyfill'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readHours, withinHours } from './hours'

describe('hours of the week', () => {
  it.each([
    ['Mon–Fri 08:00–20:00', { days: [1, 2, 3, 4, 5], from: 480, to: 1200 }],
    ['mon-fri 8-20', { days: [1, 2, 3, 4, 5], from: 480, to: 1200 }],
    ['Sat, Sun 22:00–06:00', { days: [6, 7], from: 1320, to: 360 }],
    ['07:30–24:00', { days: [1, 2, 3, 4, 5, 6, 7], from: 450, to: 1440 }],
    ['Fri–Mon 0:00-12:00', { days: [1, 5, 6, 7], from: 0, to: 720 }],
    ['Mon–Fri', null],
    ['Moon 08:00–20:00', null],
    ['25:00–26:00', null],
    ['08:00–08:00', null],
    ['', null],
  ])('%s', (text, hours) => {
    expect(readHours(text)).toEqual(hours)
  })
  it('count on the clocks of the site, on both sides of a change of the clocks: as the Temporal reference does', () => {
    const zones = ['Europe/Lisbon', 'Europe/Vienna', 'America/New_York', 'Asia/Kolkata', 'Pacific/Apia']
    fc.assert(
      fc.property(
        fc.constantFrom(...zones),
        fc.integer({ min: Date.UTC(2026, 0, 1), max: Date.UTC(2027, 11, 31) }),
        fc.integer({ min: 0, max: 1439 }),
        fc.integer({ min: 1, max: 1440 }),
        fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
        (zone, at, from, to, days) => {
          fc.pre(from !== to)
          const local = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone)
          const minutes = local.hour * 60 + local.minute
          const before = local.subtract({ days: 1 }).dayOfWeek
          const expected =
            from < to
              ? days.includes(local.dayOfWeek) && minutes >= from && minutes < to
              : (days.includes(local.dayOfWeek) && minutes >= from) || (days.includes(before) && minutes < to)
          expect(withinHours({ days, from, to }, at, zone)).toBe(expected)
        },
      ),
      { numRuns: 300 },
    )
  })
})
