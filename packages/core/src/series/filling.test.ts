import { describe, expect, it } from 'vitest'
import { day, gigabyte, hour, minute } from '../units'
import { fallingOn, fullIn, fullSoon, trendOf, type DiskDays, type Falling } from './filling'

/** Days of a disk, by what was least free on each in GB; each goes up and down by `swing`. */
function daysOf(least: readonly number[], swing = 0): DiskDays {
  return {
    at: least.map((_, i) => i * day),
    least: least.map((value) => value * gigabyte),
    most: least.map((value) => (value + swing) * gigabyte),
  }
}
const days = (count: number, of: (i: number) => number, swing?: number) =>
  daysOf(
    Array.from({ length: count }, (_, i) => of(i)),
    swing,
  )
/** When it will be full, in days from the end of the last one, where so much is free. */
function fullOf(known: DiskDays, free = known.least.at(-1)! / gigabyte) {
  const trend = trendOf(known)
  if (!trend) return 'unknown'
  const full = fullIn(trend, free * gigabyte, known.at.at(-1)! + day)
  return full && { soonest: full.soonest / day, likely: full.likely / day, latest: full.latest / day }
}
/** A little up and down, the same each time. */
const noise = (i: number, most: number) => most * Math.sin(i * 2.399963)

describe('when a disk will be full', () => {
  it('is where the line of its days ends', () => {
    expect(fullOf(days(21, (i) => 200 - 5 * i))).toEqual({ soonest: 20, likely: 20, latest: 20 })
  })
  it('lies between two times where its days differ', () => {
    const full = fullOf(days(21, (i) => 200 - 5 * i + noise(i, 4)))
    if (full === 'unknown' || !full) throw new Error('it fills')
    expect(Math.abs(full.likely - 20)).toBeLessThan(1)
    expect(full.soonest).toBeLessThan(full.likely)
    expect(full.latest).toBeGreaterThan(full.likely)
    expect(full.latest - full.soonest).toBeLessThan(4)
  })
  it('is not told of a disk that only goes up and down', () => {
    expect(fullOf(days(21, (i) => 100 + noise(i, 10)))).toBeNull()
    expect(fullOf(days(21, () => 100))).toBeNull()
    expect(fullOf(days(21, (i) => 100 + i))).toBeNull()
  })
  it('does not go by a nightly backup that is deleted again', () => {
    expect(fullOf(days(21, () => 40, 60))).toBeNull()
  })
  it('but is full at the lowest moment of a day, not at the one that is looked at', () => {
    expect(
      fullOf(
        days(21, (i) => 125 - 5 * i, 60),
        85,
      ),
    ).toMatchObject({ likely: 5 })
  })
  it('is not hidden by a clean-up', () => {
    for (const at of [2, 6, 10, 15, 18])
      expect(fullOf(days(21, (i) => (i < at ? 120 : 320) - 5 * i))).toMatchObject({ likely: (320 - 100) / 5 })
  })
  it('nor told because of one large copy', () => {
    for (const at of [3, 10, 17]) expect(fullOf(days(21, (i) => (i < at ? 400 : 200)))).toBeNull()
    expect(fullOf(days(21, (i) => (i < 10 ? 400 : 200) + noise(i, 2)))).toBeNull()
  })
  it('is told of large files that come every week', () => {
    const full = fullOf(days(21, (i) => 300 - 50 * Math.floor(i / 7)))
    expect(full).toMatchObject({ likely: expect.any(Number) as number })
    if (full === 'unknown' || !full) throw new Error('it fills')
    expect(full.likely).toBeGreaterThan(14)
    expect(full.likely).toBeLessThan(60)
  })
  it('is not told of a disk that is cleared up every week in time', () => {
    // From the second clean-up on it is a habit.
    for (let length = 15; length <= 21; length++) expect(fullOf(days(length, (i) => 100 - 8 * (i % 7)))).toBeNull()
  })
  it('is told where it will be full before the next clean-up', () => {
    // The day after the third one, with less room than the week needs.
    expect(fullOf(days(16, (i) => (i < 14 ? 60 - 8 * (i % 7) : 20 - 8 * (i % 7))))).toMatchObject({ likely: 1.5 })
  })
  it('sees within a week that it fills faster', () => {
    expect(fullOf(days(21, (i) => (i < 15 ? 200 : 200 - 12 * (i - 14))))).toMatchObject({ likely: (200 - 72) / 12 })
  })
  it('is not known of few days', () => {
    expect(fullOf(days(3, (i) => 30 - i))).toBe('unknown')
    expect(fullOf(days(4, (i) => 30 - i))).toMatchObject({ likely: 27 })
  })
  it('goes on from what is free after somebody has cleared up today', () => {
    expect(
      fullOf(
        days(21, (i) => 125 - 5 * i),
        225,
      ),
    ).toMatchObject({ likely: 45 })
  })
})

describe('a disk that falls within hours', () => {
  const known = trendOf(days(21, () => 100, 50))!
  /** A look every minute, by what is free then in GB. */
  function falling(of: (minutes: number) => number, minutes: number, trend = known): Falling | null {
    let state: Falling | null = null
    for (let i = 0; i <= minutes; i++) state = fallingOn(state, trend, of(i) * gigabyte, 30 * day + i * minute)
    return state
  }
  const soon = (state: Falling | null) => state && fullSoon(state, state.free.at(-1)!)

  it('is full soon, where it falls as on no day of the last weeks', () => {
    const full = soon(falling((i) => 80 - i, 30))
    expect(full!.likely / minute).toBeCloseTo(50, 0)
  })
  it('is nothing while it is no lower than its nights are', () => {
    expect(falling((i) => 150 - i, 50)).toBeNull()
    expect(falling((i) => 100 - i / 10, 50)).toBeNull()
  })
  it('is nothing where it stays, however low', () => {
    expect(soon(falling(() => 20, 60))).toBeNull()
    expect(soon(falling((i) => 20 + noise(i, 0.2), 60))).toBeNull()
  })
  it('is not told where it takes more than a day: its days tell of that', () => {
    expect(soon(falling((i) => 80 - i / 100, 120))).toBeNull()
  })
  it('remembers three hours, and a look each five minutes', () => {
    const state = falling((i) => 80 - i / 100, 12 * 60)!
    expect(state.at.length).toBeLessThanOrEqual(37)
    expect(state.at.at(-1)! - state.at[0]!).toBeLessThanOrEqual(3 * hour)
  })
  it('is not what a night takes of a disk that fills from day to day', () => {
    // Each night 50 GB come and go, and each day 2 GB stay.
    const filling = trendOf(days(21, (i) => 200 - 2 * i, 50))!
    expect(falling((i) => 200 - 42 - 2 + 50 - i, 50, filling)).toBeNull()
  })
})
