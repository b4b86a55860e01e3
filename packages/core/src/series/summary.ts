import type { Millis } from '../units'

export interface Sample {
  at: Millis
  value: number
}
export interface Summary {
  count: number
  min: number
  mean: number
  max: number
  p95: number
}

/**
 * The p-quantile by linear interpolation between the two nearest values (definition 7 of Hyndman and Fan, “Sample
 * Quantiles in Statistical Packages”, 1996).
 * @param sorted ascending, not empty
 * @throws RangeError when there is no value
 * @example quantile([1, 2, 3, 4], 0.5) // 2.5
 */
export function quantile(sorted: readonly number[], p: number): number {
  if (sorted.length === 0) throw new RangeError('quantile needs at least one value')
  const index = (sorted.length - 1) * Math.min(1, Math.max(0, p))
  const lower = Math.floor(index)
  const below = sorted[lower]!
  return below + (index - lower) * ((sorted[lower + 1] ?? below) - below)
}

/** Count, least, mean, greatest and 95th percentile, or null where there is nothing to sum up. */
export function summarise(values: readonly number[]): Summary | null {
  if (values.length === 0) return null
  const sorted = [...values].sort((a, b) => a - b)
  let sum = 0
  for (const value of sorted) sum += value
  return {
    count: sorted.length,
    min: sorted[0]!,
    mean: sum / sorted.length,
    max: sorted[sorted.length - 1]!,
    p95: quantile(sorted, 0.95),
  }
}

export interface Bucket {
  at: Millis
  min: number
  mean: number
  max: number
}

/**
 * Cuts samples into spans of `width` and keeps least, mean and greatest of each, so that a chart of any length shows
 * its spikes. A span without samples gives no bucket: a gap stays a gap.
 * @param samples ascending in time
 */
export function bucketise(samples: readonly Sample[], width: Millis): Bucket[] {
  const buckets: Bucket[] = []
  let count = 0
  for (const { at, value } of samples) {
    const start = Math.floor(at / width) * width
    const last = buckets[buckets.length - 1]
    if (last && last.at === start) {
      count++
      last.mean += (value - last.mean) / count
      if (value < last.min) last.min = value
      if (value > last.max) last.max = value
    } else {
      buckets.push({ at: start, min: value, mean: value, max: value })
      count = 1
    }
  }
  return buckets
}
