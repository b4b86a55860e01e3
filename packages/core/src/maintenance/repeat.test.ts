import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { ordinals, readRepeat, repeatRule, repeatWords, weekdays, type Repeat, type RepeatEnd } from './repeat'
import { recurrenceFault } from './recurrence'

const interval = fc.integer({ min: 1, max: 12 })
const repeats: fc.Arbitrary<Repeat> = fc.oneof(
  fc.record({ every: fc.constant('day' as const), interval }),
  fc.record({ every: fc.constant('week' as const), interval, days: fc.subarray([...weekdays]) }),
  fc.record({
    every: fc.constant('month' as const),
    interval,
    on: fc.oneof(
      fc.record({ day: fc.oneof(fc.integer({ min: 1, max: 28 }), fc.constant(-1)) }),
      fc.record({ nth: fc.constantFrom(...ordinals), weekday: fc.constantFrom(...weekdays, 'any' as const) }),
    ),
  }),
)
const ends: fc.Arbitrary<RepeatEnd> = fc.oneof(
  fc.constant(null),
  fc.record({ count: fc.integer({ min: 1, max: 99 }) }),
  fc.record({ until: fc.constant('20290101') }),
)

describe('how a window repeats', () => {
  it('is the same after it was written as a rule and read again, and the rule is one', () => {
    fc.assert(
      fc.property(repeats, ends, (repeat, end) => {
        const rule = repeatRule(repeat, end)
        expect(readRepeat(rule)).toEqual({ repeat, end })
        expect(
          recurrenceFault({ starts: '2027-01-01T02:00:00', zone: 'Europe/Berlin', rule, more: [], except: [] }),
        ).toBeNull()
      }),
      { numRuns: 100 },
    )
  })
  it.each([
    ['FREQ=DAILY', 'every day'],
    ['FREQ=DAILY;INTERVAL=2', 'every second day'],
    ['FREQ=WEEKLY;BYDAY=TU,TH', 'every week on Tuesday and Thursday'],
    ['FREQ=WEEKLY;INTERVAL=3;BYDAY=SA', 'every 3 weeks on Saturday'],
    ['FREQ=MONTHLY;BYDAY=2TU', 'every month on the second Tuesday'],
    ['FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1', 'every month on the last weekday'],
    ['FREQ=MONTHLY;BYMONTHDAY=-1', 'every month on the last day'],
    ['FREQ=MONTHLY;BYMONTHDAY=22;COUNT=5', 'every month on the 22nd, 5 times'],
    ['FREQ=MONTHLY;BYMONTHDAY=13', 'every month on the 13th'],
    ['FREQ=WEEKLY;BYDAY=MO;UNTIL=20271224T000000Z', 'every week on Monday, until 2027-12-24'],
    ['FREQ=YEARLY;BYMONTH=11;BYDAY=TU', 'by the rule FREQ=YEARLY;BYMONTH=11;BYDAY=TU'],
    ['FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;WKST=SU', 'by the rule FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;WKST=SU'],
  ])('%s: %s', (rule, words) => {
    expect(repeatWords(rule)).toBe(words)
  })
})
