import { quantile } from './summary'

/** What became of a series at a moment, from its hours before and after. */
export interface SeriesChange {
  /** So much more it is since: median of all differences between after and before, each against its hour of the day. */
  shift: number
  /** −1 to 1: how much more often an hour after lies above one before than below. */
  level: number
  /** −1 to 1: the same of how far hours lie from what is usual, whatever the level: another rhythm or spread. */
  spread: number
  /** Median of the hours before, and of those after. */
  before: number
  after: number
  /** The shift in multiples of what hours usually differ by. */
  times: number
}

/** Of one hour: which of the day it is (0 to 23), and its mean. */
export interface HourMean {
  hour: number
  mean: number
}

/** From which on a difference counts as large: Romano et al., “Appropriate statistics for ordinal level data”, 2006. */
export const largeDelta = 0.474

const median = (values: readonly number[]): number => quantile(Float64Array.from(values).sort(), 0.5)

/**
 * How much more often values of `b` lie above those of `a` than below: Cliff, “Dominance statistics: Ordinal analyses
 * to answer ordinal questions”, 1993; it is 2 U / (n m) − 1 with the U of Mann and Whitney (1947). In O(n log n).
 * @returns −1 to 1
 */
export function cliffsDelta(a: readonly number[], b: readonly number[]): number {
  const [x, y] = [Float64Array.from(a).sort(), Float64Array.from(b).sort()]
  let [below, notAbove, dominance] = [0, 0, 0]
  for (const value of y) {
    while (below < x.length && x[below]! < value) below++
    while (notAbove < x.length && x[notAbove]! <= value) notAbove++
    dominance += below - (x.length - notAbove)
  }
  return x.length && y.length ? dominance / (x.length * y.length) : 0
}

/** Median of all differences of two samples: Hodges and Lehmann, “Estimates of Location Based on Rank Tests”, 1963. */
export function shiftBetween(a: readonly number[], b: readonly number[]): number {
  const differences = new Float64Array(a.length * b.length)
  let i = 0
  for (const x of a) for (const y of b) differences[i++] = y - x
  return quantile(differences.sort(), 0.5)
}

/** So many hours on either side at least: with fewer nothing is said. */
export const fewestHours = 6

/**
 * Compares the hours before a moment with those after it. Each is taken by how far it lies from what was usual at its
 * hour of the day before, so that an ordinary morning is no change after an ordinary night.
 * @param least a difference that is none, above 0: what hours usually differ by is never taken for less
 * @returns null where there is too little to say anything
 */
export function changeBetween(
  before: readonly HourMean[],
  after: readonly HourMean[],
  least: number,
): SeriesChange | null {
  if (before.length < fewestHours || after.length < fewestHours) return null
  const atLeast = (distance: number) => Math.max(least, distance)
  const overall = median(before.map(({ mean }) => mean))
  const byHour = new Map<number, number[]>()
  for (const { hour, mean } of before) byHour.set(hour, [...(byHour.get(hour) ?? []), mean])
  // An hour of before is compared with the others of its time of day: with itself it would lie too near.
  const restBefore = before.map(({ hour, mean }) => {
    const all = byHour.get(hour)!
    const others = all.filter((_, i) => i !== all.indexOf(mean))
    return mean - (others.length ? median(others) : overall)
  })
  const medians = new Map([...byHour].map(([hour, all]) => [hour, median(all)]))
  const restAfter = after.map(({ hour, mean }) => mean - (medians.get(hour) ?? overall))
  const shift = shiftBetween(restBefore, restAfter)
  const [middleBefore, middleAfter] = [median(restBefore), median(restAfter)]
  const distances = restBefore.map((value) => Math.abs(value - middleBefore))
  const distancesAfter = restAfter.map((value) => Math.abs(value - middleAfter))
  const usual = Math.max(1.4826 * median(distances), Math.abs(overall) / 1000, least)
  return {
    shift,
    level: cliffsDelta(restBefore, restAfter),
    // Brown and Forsythe, “Robust Tests for the Equality of Variances”, 1974: distances from the median.
    spread: cliffsDelta(distances.map(atLeast), distancesAfter.map(atLeast)),
    before: overall,
    after: median(after.map(({ mean }) => mean)),
    times: shift / usual,
  }
}
