import type { Millis } from '../units'

/** Readings of one series in columns: times ascending, each once, in milliseconds since 1970; a value for each. */
export interface Samples {
  at: Float64Array
  value: Float64Array
}

export const noSamples: Samples = { at: new Float64Array(0), value: new Float64Array(0) }

/** The first index at which a time is not before `at`. */
export function firstNotBefore(times: Float64Array, at: Millis): number {
  let low = 0
  let high = times.length
  while (low < high) {
    const middle = (low + high) >>> 1
    if (times[middle]! < at) low = middle + 1
    else high = middle
  }
  return low
}

/** Those from `from` on and before `until`; without a copy. */
export function samplesBetween({ at, value }: Samples, from: Millis, until: Millis): Samples {
  const first = firstNotBefore(at, from)
  const last = firstNotBefore(at, until)
  return { at: at.subarray(first, last), value: value.subarray(first, last) }
}

/** All of both, each time once; where both have one, the second's value counts. */
export function union(a: Samples, b: Samples): Samples {
  if (a.at.length === 0) return b
  if (b.at.length === 0) return a
  const at = new Float64Array(a.at.length + b.at.length)
  const value = new Float64Array(at.length)
  let i = 0
  let j = 0
  let n = 0
  while (i < a.at.length || j < b.at.length) {
    const isFirst = j >= b.at.length || (i < a.at.length && a.at[i]! < b.at[j]!)
    if (!isFirst && a.at[i] === b.at[j]) i++
    at[n] = isFirst ? a.at[i]! : b.at[j]!
    value[n++] = isFirst ? a.value[i++]! : b.value[j++]!
  }
  return { at: at.subarray(0, n), value: value.subarray(0, n) }
}

/** How far apart times mostly are: the median; null: there are fewer than two. */
export function spacing(times: Float64Array): Millis | null {
  if (times.length < 2) return null
  const gaps = new Float64Array(times.length - 1)
  for (let i = 1; i < times.length; i++) gaps[i - 1] = times[i]! - times[i - 1]!
  return gaps.sort()[gaps.length >> 1]!
}

/** The times of values beyond a limit. @param sign 1: above it, −1: below it */
export function timesBeyond({ at, value }: Samples, limit: number, sign: 1 | -1): Millis[] {
  const times: Millis[] = []
  const signed = sign * limit
  for (let i = 0; i < at.length; i++) if (sign * value[i]! > signed) times.push(at[i]!)
  return times
}

/** A share of numbers that are as good as equal may be told as either: so much of a limit is taken for it, too. */
const roundingError = 1e-12

/**
 * The times at which the share that a series is of another one may lie beyond a limit; both read, and the other not 0.
 * One that lies on it to the last bits is among them.
 */
export function timesShareBeyond(part: Samples, whole: Samples, limit: number, sign: 1 | -1): Millis[] {
  const times: Millis[] = []
  const signed = sign * limit - Math.abs(limit) * roundingError
  const [partAt, partValue, wholeAt, wholeValue] = [part.at, part.value, whole.at, whole.value]
  for (let i = 0, j = 0; i < partAt.length; i++) {
    const at = partAt[i]!
    // Mostly both were read each time.
    if (wholeAt[j] !== at) {
      while (j < wholeAt.length && wholeAt[j]! < at) j++
      if (wholeAt[j] !== at) continue
    }
    const size = wholeValue[j++]!
    if (size !== 0 && sign * partValue[i]! > signed * size) times.push(at)
  }
  return times
}

/** The times at which two series were both read, and something is so of the two values. */
export function timesOfBoth(a: Samples, b: Samples, isSo: (a: number, b: number, at: Millis) => boolean): Millis[] {
  const times: Millis[] = []
  for (let i = 0, j = 0; i < a.at.length; i++) {
    const at = a.at[i]!
    while (j < b.at.length && b.at[j]! < at) j++
    if (b.at[j] === at && isSo(a.value[i]!, b.value[j]!, at)) times.push(at)
  }
  return times
}

/** Each time of all these once, ascending. */
export function allTimes(lists: readonly (readonly Millis[])[]): Millis[] {
  if (lists.length === 1) return [...lists[0]!]
  return [...new Set(lists.flat())].sort((a, b) => a - b)
}

/** Of pieces that follow each other in time. */
export function joined(pieces: readonly Samples[]): Samples {
  if (pieces.length === 1) return pieces[0]!
  const length = pieces.reduce((sum, piece) => sum + piece.at.length, 0)
  if (length === 0) return noSamples
  const at = new Float64Array(length)
  const value = new Float64Array(length)
  let filled = 0
  for (const piece of pieces) {
    at.set(piece.at, filled)
    value.set(piece.value, filled)
    filled += piece.at.length
  }
  return { at, value }
}

/**
 * What a counter rose by since the reading before. One that is lower than before began anew at nothing, as after a
 * restart. What the first one rose by is not known, so it has no value.
 * @param before the last reading ahead of these
 */
export function increases({ at, value }: Samples, before?: number): Samples {
  const skipped = before === undefined ? 1 : 0
  const result = new Float64Array(Math.max(0, at.length - skipped))
  let last = before ?? value[0]!
  for (let i = skipped; i < at.length; i++) {
    const reading = value[i]!
    result[i - skipped] = reading >= last ? reading - last : reading
    last = reading
  }
  return { at: at.subarray(Math.min(skipped, at.length)), value: result }
}
