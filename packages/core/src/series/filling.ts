import { day, hour, minute, type Bytes, type Millis } from '../units'
import { slopeOf, type Slope, type Stretch } from './sen'
import { quantile } from './summary'

/** What was least and most free on whole days (UTC), in columns; `at`: when each began, ascending. */
export interface DiskDays {
  at: readonly Millis[]
  least: readonly Bytes[]
  most: readonly Bytes[]
}

/** When nothing will be left, as lengths of time from now: between soonest and latest with a confidence of 90 %. */
export interface Full {
  soonest: Millis
  likely: Millis
  latest: Millis
  /** The change of a day at the pace that this is by; below 0. */
  perDay: Bytes
}

/** How what is free on a disk moves from day to day. */
export interface Trend {
  /** Of all days, only such compared between which nobody cleared up, or put something large there. */
  pace: Slope | null
  /** The same of the last week alone: what fills it may be new. */
  recent: Slope | null
  /** Of all days as they are: what is left of a pace where somebody clears up again and again, null elsewhere. */
  overall: Slope | null
  /** The longest time from one clean-up to the next, of at least two. */
  clearedEvery: Millis | null
  clearedAt: Millis | null
  /** At its lowest and its fullest moment of the last day. */
  last: { at: Millis; least: Bytes; most: Bytes }
  /** It was never lower on these days. */
  lowest: Bytes
  /** By how much it goes up and down within a day: usually, and at most. */
  swing: Bytes
  widestSwing: Bytes
}

/** So many days a pace is taken from: three weeks hold two of the weekly rounds that most disks have. */
export const daysOfPace = 21
const daysOfRecent = 7
/** So many days at least: of fewer no pace is told. */
export const fewestDays = 4
/** So many times of what usually changes from day to day is an event: common practice for outliers, no source. */
const farBeyond = 5

const median = (values: readonly number[]): number =>
  values.length ? quantile(Float64Array.from(values).sort(), 0.5) : 0

function stretchesOf({ at, least }: DiskDays, isCut: (change: number) => boolean): Stretch[] {
  const stretches: { at: Millis[]; value: number[] }[] = []
  for (let i = 0; i < at.length; i++) {
    if (i === 0 || isCut(least[i]! - least[i - 1]!)) stretches.push({ at: [], value: [] })
    const last = stretches.at(-1)!
    last.at.push(at[i]!)
    last.value.push(least[i]!)
  }
  return stretches
}

/**
 * How what is least free moves from day to day: by the lowest moment of each, so that what is written every night and
 * deleted again does not count. What happens once is an event and cut out: a clean-up that would hide a trend, a
 * restore that would pass for one. What happens again is a habit: large files that come each week fill a disk, and who
 * clears up each week keeps it from filling (see `fullIn`).
 * @param days the newest `daysOfPace` of them count
 * @returns null where too few are known
 */
export function trendOf(days: DiskDays): Trend | null {
  const first = Math.max(0, days.at.length - daysOfPace)
  const [at, least, most] = [days.at.slice(first), days.least.slice(first), days.most.slice(first)]
  const count = at.length
  if (count < fewestDays) return null
  const changes = least.slice(1).map((value, i) => value - least[i]!)
  const jump = farBeyond * median(changes.map(Math.abs))
  const cleared = at.slice(1).filter((_, i) => changes[i]! > jump)
  const isFilledOnce = changes.filter((change) => change < -jump).length === 1
  const isCut = (change: number) => change > jump || (isFilledOnce && change < -jump)
  const gaps = cleared.slice(1).map((time, i) => time - cleared[i]!)
  const swings = most.map((value, i) => value - least[i]!)
  const from = at[count - 1]! - (daysOfRecent - 1) * day
  const recent = at.findIndex((time) => time >= from)
  return {
    pace: slopeOf(stretchesOf({ at, least, most }, isCut)),
    recent: slopeOf(stretchesOf({ at: at.slice(recent), least: least.slice(recent), most: most.slice(recent) }, isCut)),
    overall: gaps.length ? slopeOf([{ at, value: least }]) : null,
    clearedEvery: gaps.length ? Math.max(...gaps) : null,
    clearedAt: cleared.at(-1) ?? null,
    last: { at: at[count - 1]!, least: least[count - 1]!, most: most[count - 1]! },
    lowest: Math.min(...least),
    swing: median(swings),
    widestSwing: Math.max(...swings),
  }
}

function fullAt(slope: Slope | null, free: Bytes): Full | null {
  // Only where it goes down for certain.
  if (!slope || slope.high >= 0) return null
  return {
    soonest: free / -slope.low,
    likely: free / -slope.middle,
    latest: free / -slope.high,
    perDay: slope.middle * day,
  }
}

/** Whether the last week is steeper than all weeks for certain. */
function isFaster({ pace, recent }: Trend): boolean {
  if (!recent || recent.high >= 0) return false
  return !pace || pace.high >= 0 || recent.high < pace.middle
}

/**
 * When nothing will be left at the pace of the last three weeks, or at that of the last one where it is sooner.
 * @param free now
 * @returns null: it does not fill, or somebody clears it up before, as again and again until now
 */
export function fullIn(trend: Trend, free: Bytes, at: Millis): Full | null {
  const { last, swing } = trend
  // It is full at its lowest moment of the day; once more is free than at any moment of the last one, nobody knows it.
  const isCleared = free > last.most
  const lowest = Math.max(0, isCleared ? free - swing : Math.min(free, last.least))
  const full = fullAt(isFaster(trend) ? trend.recent : trend.pace, lowest)
  if (!full || trend.clearedEvery === null) return full
  const nextCleared = trend.clearedAt! + trend.clearedEvery + day
  return at + full.likely > nextCleared && at <= nextCleared ? fullAt(trend.overall, lowest) : full
}

/** Readings of the last hours of a disk that is lower than it has been in weeks. */
export interface Falling {
  at: Millis[]
  free: Bytes[]
}

/** So far back its readings tell how fast it falls, one of so much time, and so far ahead at most. */
const fallsFor: Millis = 3 * hour
const fallsEach: Millis = 5 * minute
/** What falls in a few hours says nothing of days to come. */
export const farthestOfFalling: Millis = day

/**
 * Goes on with what is known of a disk that falls faster than from day to day: a log that grows without end fills it
 * within hours. It counts only once less is free than on any day of the last weeks, by more than its days differ, so
 * that a nightly backup is none.
 * @returns null: it is nothing out of the ordinary
 */
export function fallingOn(before: Falling | null, trend: Trend, free: Bytes, at: Millis): Falling | null {
  const perDay = Math.min(0, trend.pace?.middle ?? 0, trend.recent?.middle ?? 0) * day
  if (free >= trend.lowest + 3 * perDay - trend.widestSwing / 4) return null
  const kept = (before?.at ?? []).flatMap((time, i) =>
    time > at - fallsFor && time < at ? [{ at: time, free: before!.free[i]! }] : [],
  )
  const last = kept.at(-1)
  if (!last || at - last.at >= fallsEach) kept.push({ at, free })
  return { at: kept.map((each) => each.at), free: kept.map((each) => each.free) }
}

/** When nothing will be left at the pace of the last hours; null: it does not fall, or not for a day at least. */
export function fullSoon({ at, free }: Falling, left: Bytes): Full | null {
  if (at.length < fewestDays) return null
  const full = fullAt(slopeOf([{ at, value: free }]), left)
  return full && full.likely <= farthestOfFalling ? full : null
}
