import { day, hour } from '../units'
import type { Week } from './packed'
import { sketchCount, sketchRank } from './sketch'

const hoursOfDay = day / hour

/** What a day of a series comes down to; in steps of its resolution but for `low` and `high`. */
export interface DayFigure {
  count: number
  min: number
  max: number
  sum: number
  /**
   * Of any days together the percentile that `sketchQuantile` tells for 0.05 is not below the least of their `low`, and
   * the one for 0.95 not above the greatest of their `high`.
   */
  low: number
  high: number
}

/** @param index of the day since 1970 @returns null where nothing was read that day */
export function dayFigure({ hours, days }: Week, index: number): DayFigure | null {
  const sketch = days.get(index)
  if (!sketch) return null
  let [count, min, max, sum] = [0, Infinity, -Infinity, 0]
  for (let i = 0; i < hours.hour.length; i++) {
    if (Math.floor(hours.hour[i]! / hoursOfDay) !== index) continue
    count += hours.count[i]!
    sum += hours.sum[i]!
    min = Math.min(min, hours.min[i]!)
    max = Math.max(max, hours.max[i]!)
  }
  if (count === 0) return null
  // Of n_i values so many at least are not above `high`: ⌈0.95 n_i⌉. Of all days together that is 0.95 n or more, which
  // are more than the rank ⌊0.95 (n − 1)⌋ has below it. And so many at most are below `low`: ⌊0.05 (n_i − 1)⌋, which of
  // all days together is no more than ⌊0.05 (n − 1)⌋.
  const all = sketchCount(sketch)
  return {
    count,
    min,
    max,
    sum,
    low: sketchRank(sketch, Math.floor(0.05 * (all - 1))),
    high: sketchRank(sketch, Math.ceil(0.95 * all) - 1),
  }
}
