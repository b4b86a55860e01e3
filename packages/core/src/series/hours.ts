import { hour, type Millis } from '../units'
import { allSteps, metrics, valueOf, type MetricName } from './metrics'
import type { Samples } from './samples'

/**
 * What became of the readings of each hour that had any, in columns, ascending. `hour`: hours since 1970 in UTC. The
 * figures are in steps of the metric's resolution, so that sums are exact.
 */
export interface HourSums {
  hour: number[]
  count: number[]
  min: number[]
  max: number[]
  sum: number[]
}

export const noHours = (): HourSums => ({ hour: [], count: [], min: [], max: [], sum: [] })

export function hoursOf(metric: MetricName, { at, value }: Samples): HourSums {
  const hours = noHours()
  const steps = allSteps(metric, value)
  let i = 0
  while (i < at.length) {
    const index = Math.floor(at[i]! / hour)
    const end = (index + 1) * hour
    const first = i
    let [min, max, sum] = [Infinity, -Infinity, 0]
    for (; i < at.length && at[i]! < end; i++) {
      const step = steps[i]!
      sum += step
      if (step < min) min = step
      if (step > max) max = step
    }
    hours.hour.push(index)
    hours.count.push(i - first)
    hours.min.push(min)
    hours.max.push(max)
    hours.sum.push(sum)
  }
  return hours
}

export function addHour(into: HourSums, from: HourSums, i: number): void {
  for (const column of ['hour', 'count', 'min', 'max', 'sum'] as const) into[column].push(from[column][i]!)
}

/** What an answer was made of: single readings, or what became of each hour. */
export const seriesLevels = ['readings', 'hours'] as const
export type SeriesLevel = (typeof seriesLevels)[number]

/** Least, mean and greatest reading of a span, and of how many. */
export interface Point {
  /** Where the span begins. */
  at: Millis
  min: number
  mean: number
  max: number
  count: number
}

/**
 * Readings in spans of one width, counted from 1970, without hiding their spikes. A span without readings gives no
 * point: a gap stays a gap.
 */
export function pointsOf({ at, value }: Samples, width: Millis): Point[] {
  const points: Point[] = []
  let last: Point | undefined
  let sum = 0
  for (let i = 0; i < at.length; i++) {
    const start = Math.floor(at[i]! / width) * width
    const reading = value[i]!
    if (last?.at === start) {
      last.count++
      sum += reading
      if (reading < last.min) last.min = reading
      if (reading > last.max) last.max = reading
    } else {
      if (last) last.mean = sum / last.count
      last = { at: start, min: reading, mean: reading, max: reading, count: 1 }
      points.push(last)
      sum = reading
    }
  }
  if (last) last.mean = sum / last.count
  return points
}

/** The same from hours. @param width whole hours */
export function pointsOfHours(metric: MetricName, hours: HourSums, width: Millis): Point[] {
  const { resolution } = metrics[metric]
  const points: Point[] = []
  let last: Point | undefined
  let sum = 0
  const finish = () => {
    if (last) last.mean = valueOf(resolution, sum) / last.count
  }
  for (let i = 0; i < hours.hour.length; i++) {
    const start = Math.floor((hours.hour[i]! * hour) / width) * width
    const min = valueOf(resolution, hours.min[i]!)
    const max = valueOf(resolution, hours.max[i]!)
    if (last?.at === start) {
      last.count += hours.count[i]!
      sum += hours.sum[i]!
      if (min < last.min) last.min = min
      if (max > last.max) last.max = max
    } else {
      finish()
      last = { at: start, min, mean: 0, max, count: hours.count[i]! }
      points.push(last)
      sum = hours.sum[i]!
    }
  }
  finish()
  return points
}
