import fc from 'fast-check'
import { wilcoxonRankSum } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { changeBetween, cliffsDelta, largeDelta, shiftBetween, type HourMean } from './change'

// Annual flow of the Nile at Aswan, 1871 to 1970, in 10⁸ m³: Cobb, “The problem of the Nile: conditional solution to a
// changepoint problem”, Biometrika 65, 1978; the values are from memory. It fell in 1898, when a dam was begun.
const nile = [
  1120, 1160, 963, 1210, 1160, 1160, 813, 1230, 1370, 1140, 995, 935, 1110, 994, 1020, 960, 1180, 799, 958, 1140, 1100,
  1210, 1150, 1250, 1260, 1220, 1030, 1100, 774, 840, 874, 694, 940, 833, 701, 916, 692, 1020, 1050, 969, 831, 726, 456,
  824, 702, 1120, 1100, 832, 764, 821, 768, 845, 864, 862, 698, 845, 744, 796, 1040, 759, 781, 865, 845, 944, 984, 897,
  822, 1010, 771, 676, 649, 846, 812, 742, 801, 1040, 860, 874, 848, 890, 744, 749, 838, 1050, 918, 986, 797, 923, 975,
  815, 1020, 906, 901, 1170, 912, 746, 919, 718, 714, 740,
]
const compared = (before: readonly HourMean[], after: readonly HourMean[]) => changeBetween(before, after, 0.001)
const atOneHour = (values: readonly number[]): HourMean[] => values.map((mean) => ({ hour: 0, mean }))

describe('how two samples differ', () => {
  const sample = fc.array(fc.integer({ min: -30, max: 30 }), { minLength: 1, maxLength: 30 })
  it('is counted in pairs, and is 2 U / (n m) − 1 of the rank sum (simple-statistics)', () =>
    fc.assert(
      fc.property(sample, sample, (a, b) => {
        const pairs = a.flatMap((x) => b.map((y) => Math.sign(y - x)))
        const counted = pairs.reduce((sum, sign) => sum + sign, 0) / pairs.length
        expect(cliffsDelta(a, b)).toBeCloseTo(counted, 12)
        const u = wilcoxonRankSum(b, a) - (b.length * (b.length + 1)) / 2
        expect(cliffsDelta(a, b)).toBeCloseTo((2 * u) / (a.length * b.length) - 1, 9)
      }),
    ))
  it('is by how much: what is added to one sample is added to that', () =>
    fc.assert(
      fc.property(sample, sample, fc.integer({ min: -50, max: 50 }), (a, b, more) => {
        const moved = b.map((value) => value + more)
        expect(shiftBetween(a, moved)).toBeCloseTo(shiftBetween(a, b) + more, 9)
      }),
    ))
})

describe('what changed', () => {
  it('the Nile in 1898, by what is known of it, and nothing like it twenty years later', () => {
    const change = compared(atOneHour(nile.slice(0, 28)), atOneHour(nile.slice(28)))!
    // The means of the two times are 1098 and 850.
    expect(change.shift).toBeGreaterThan(-290)
    expect(change.shift).toBeLessThan(-210)
    expect(change.level).toBeLessThan(-largeDelta)
    const later = compared(atOneHour(nile.slice(28, 48)), atOneHour(nile.slice(48)))!
    expect(Math.abs(later.level)).toBeLessThan(largeDelta)
    expect(Math.abs(later.spread)).toBeLessThan(largeDelta)
  })

  /** By day and night, with a little of everything. */
  const hours = (days: number, value: (hour: number, i: number) => number): HourMean[] =>
    Array.from({ length: days * 24 }, (_, i) => ({ hour: i % 24, mean: value(i % 24, i) }))
  const wobble = (i: number) => ((i * 7919) % 13) / 4
  const usual = (hour: number, i: number) => (hour >= 8 && hour < 18 ? 50 : 10) + wobble(i)

  it('an ordinary morning is none after a night, however short the time since', () => {
    const morning = hours(1, (hour, i) => usual(hour, i + 5)).slice(8, 16)
    const change = compared(hours(7, usual), morning)!
    expect(Math.abs(change.level)).toBeLessThan(largeDelta)
    expect(Math.abs(change.shift)).toBeLessThan(2)
  })
  it('the level, with the figure by which it rose', () => {
    const change = compared(
      hours(7, usual),
      hours(3, (hour, i) => usual(hour, i) + 12),
    )!
    expect(change.shift).toBeCloseTo(12, 0)
    expect(change.level).toBeGreaterThan(0.9)
    expect(change.times).toBeGreaterThan(4)
  })
  it('the rhythm, where the same is done at another time of the day', () => {
    const moved = hours(4, (hour, i) => usual((hour + 12) % 24, i))
    const change = compared(hours(7, usual), moved)!
    expect(change.spread).toBeGreaterThan(largeDelta)
    expect(Math.abs(change.level)).toBeLessThan(largeDelta)
  })
  it('is not said of a few hours, nor of what never changes', () => {
    expect(compared(hours(7, usual), hours(1, usual).slice(0, 5))).toBeNull()
    const still = compared(
      hours(7, () => 4),
      hours(3, () => 4),
    )!
    expect([still.shift, still.level, still.spread, still.times]).toEqual([0, 0, 0, 0])
  })
})
