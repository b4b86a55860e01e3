import { metrics, valueOf, type MetricName } from './metrics'
import type { HourSums } from './hours'
import { sketchError, sketchQuantile, type Sketch } from './sketch'

export interface Summary {
  count: number
  min: number
  mean: number
  max: number
  p95: number
  /** By which part of itself `p95` may be off at most: 0 where it comes from the readings themselves. */
  p95Error: number
  /** The newest reading; null where single readings are not kept any more. */
  last: number | null
}

/**
 * The p-quantile by linear interpolation between the two nearest values (definition 7 of Hyndman and Fan, “Sample
 * Quantiles in Statistical Packages”, 1996).
 * @param sorted ascending, not empty
 * @throws RangeError when there is no value
 * @example quantile([1, 2, 3, 4], 0.5) // 2.5
 */
export function quantile(sorted: ArrayLike<number>, p: number): number {
  if (sorted.length === 0) throw new RangeError('quantile needs at least one value')
  const index = (sorted.length - 1) * Math.min(1, Math.max(0, p))
  const lower = Math.floor(index)
  const below = sorted[lower]!
  return below + (index - lower) * ((sorted[lower + 1] ?? below) - below)
}

/** @returns null where there is nothing to sum up */
export function summarise(values: Float64Array): Summary | null {
  if (values.length === 0) return null
  const sorted = values.slice().sort()
  let sum = 0
  for (const value of sorted) sum += value
  return {
    count: sorted.length,
    min: sorted[0]!,
    mean: sum / sorted.length,
    max: sorted[sorted.length - 1]!,
    p95: quantile(sorted, 0.95),
    p95Error: 0,
    last: values[values.length - 1]!,
  }
}

/**
 * The same from what became of the hours and days.
 * @param sketch of all readings of these hours
 * @param last the newest reading, where that is known
 */
export function summariseHours(
  metric: MetricName,
  hours: HourSums,
  sketch: Sketch,
  last: number | null,
): Summary | null {
  if (hours.hour.length === 0) return null
  const { resolution } = metrics[metric]
  const value = (steps: number) => valueOf(resolution, steps)
  let [count, sum, min, max] = [0, 0, Infinity, -Infinity]
  for (let i = 0; i < hours.hour.length; i++) {
    count += hours.count[i]!
    sum += hours.sum[i]!
    min = Math.min(min, hours.min[i]!)
    max = Math.max(max, hours.max[i]!)
  }
  const p95 = Math.min(value(max), Math.max(value(min), sketchQuantile(sketch, 0.95)))
  return { count, min: value(min), mean: value(sum) / count, max: value(max), p95, p95Error: sketchError, last }
}
