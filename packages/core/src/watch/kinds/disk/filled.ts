import {
  fallingOn,
  fewestDays,
  fullIn,
  fullSoon,
  trendOf,
  type DiskDays,
  type Falling,
  type Full,
  type Trend,
} from '../../../series'
import type { Bytes, Millis } from '../../../units'

/**
 * When a disk will be full, and by which pace; null: it does not fill. `young`: too few of its days are known;
 * `unknown`: nobody has looked at its days.
 */
export type Filled = (Full & { by: 'days' | 'hours' }) | 'young' | 'unknown' | null

const trends = new WeakMap<DiskDays, { trend: Trend | null }>()

/** How a disk fills from day to day, worked out once for the same days; null: too few are known. */
export function knownTrend(days: DiskDays | undefined): Trend | null {
  if (!days) return null
  let known = trends.get(days)
  if (!known) trends.set(days, (known = { trend: trendOf(days) }))
  return known.trend
}

/** When it will be full by its days, or by its last hours where that is sooner. */
export function filledBy(trend: Trend | null, falling: Falling | null, free: Bytes, at: Millis): Filled {
  if (!trend) return 'young'
  const soon = falling && fullSoon(falling, free)
  const full = fullIn(trend, free, at)
  if (soon && (!full || soon.likely < full.likely)) return { ...soon, by: 'hours' }
  return full && { ...full, by: 'days' }
}

/** Whether it falls, and too few readings tell how fast. */
export const isJustFalling = (falling: Falling | null): boolean => falling !== null && falling.at.length < fewestDays

/** Whether it may be full within a time, or has to be remembered until it is known: nothing else can come of it. */
export function mayFill(trend: Trend | null, free: Bytes, at: Millis, within: Millis): boolean {
  if (!trend) return false
  const full = fullIn(trend, free, at)
  return (full !== null && full.likely < within) || fallingOn(null, trend, free, at) !== null
}
