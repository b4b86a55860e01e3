import { groupsBy } from '../groups'
import { hoursOfWeek, metrics, quantile, valueOf, type HourSums, type MetricName } from '../series'
import { day, hour, type Millis } from '../units'
import { cellAt, clockOf, fewestDaysOfUsual, type Usual } from './usual'

/** The mean of one hour of a series, and of how many readings. */
export interface HourOfUsual {
  /** Where it begins. */
  at: Millis
  mean: number
  count: number
}

/** The same of what is kept of each hour. */
export function hoursToLearn(metric: MetricName, { hour: index, count, sum }: HourSums): HourOfUsual[] {
  const { resolution } = metrics[metric]
  return index.map((each, i) => ({ at: each * hour, mean: valueOf(resolution, sum[i]!) / count[i]!, count: count[i]! }))
}

/** A time that teaches nothing: somebody was told that it is not as usual. */
export interface LeftOut {
  from: Millis
  until: Millis
}

/** As a normal distribution has it: Rousseeuw and Croux, “Alternatives to the Median Absolute Deviation”, 1993. */
const ofNormal = 1.4826
/** An hour beyond so many spreads is unlike what is usual: common practice for outliers, no source. */
const unlike = 3
/** A day with so many of its hours unlike is another kind of day: a working day has eight. */
const oddShare = 1 / 6
/** More days than this are no exception. */
const mostOdd = 1 / 3
/** What stays different for so long is usual from its beginning on. */
export const daysOfShift = 14

interface Hour {
  at: Millis
  cell: number
  /** Days since 1970 on the clocks of the zone. */
  day: number
  mean: number
}

/** The same for what nine of ten lie within, which says more of tails that are heavier than normal. */
const nineOfTen = 1 / 1.6449

function median(values: readonly number[]): number {
  return quantile(Float64Array.from(values).sort(), 0.5)
}

/** How far values usually lie away, by their distances. Half of them may be anything, or, with tails, one in ten. */
type SpreadOf = (distances: readonly number[]) => number
const robustSpread: SpreadOf = (distances) => ofNormal * median(distances)
const wholeSpread: SpreadOf = (distances) => {
  const sorted = Float64Array.from(distances).sort()
  return Math.max(ofNormal * quantile(sorted, 0.5), nineOfTen * quantile(sorted, 0.9))
}

/** The median of all but one of some values, for each of them, in the order of the values. */
function mediansOfOthers(values: readonly number[]): number[] {
  const order = values.map((_, i) => i).sort((a, b) => values[a]! - values[b]!)
  const sorted = Float64Array.from(order, (i) => values[i]!)
  const last = sorted.length - 1
  const found = new Array<number>(values.length)
  const at = (rank: number, without: number) => sorted[rank >= without ? rank + 1 : rank]!
  order.forEach((i, rank) => {
    found[i] = (at(Math.floor((last - 1) / 2), rank) + at(Math.ceil((last - 1) / 2), rank)) / 2
  })
  return found
}

const isWeekend = (cell: number) => cell >= 120
/** The same hour of the days of its kind: working days, and the two others. */
const kindOf = (cell: number) => (cell % 24) + (isWeekend(cell) ? 24 : 0)

interface Shape {
  middle: Float32Array
  spread: Float32Array
}

/** Fewer weeks of an hour say less of it than the other days of its kind do. */
const fewestOfHour = 2

/**
 * What is usual at each hour, and by how much an hour lies beside what all others of its kind would have foretold: the
 * median of these distances, with those of the hours beside it, since few weeks alone say little of it; and never less
 * than half of what the same hour of other days shows.
 * @param least a distance that is none, in the unit of the series
 */
function shapeOf(hours: readonly Hour[], least: number, spreadOf: SpreadOf): Shape {
  const middle = new Float32Array(hoursOfWeek).fill(NaN)
  const spread = new Float32Array(hoursOfWeek).fill(NaN)
  const cells = groupsBy(hours, ({ cell }) => cell)
  const kinds = groupsBy(hours, ({ cell }) => kindOf(cell))
  const distances: number[][] = Array.from({ length: hoursOfWeek }, () => [])
  for (let cell = 0; cell < hoursOfWeek; cell++) {
    const own = cells.get(cell) ?? []
    const asked = own.length >= fewestOfHour ? own : (kinds.get(kindOf(cell)) ?? [])
    if (asked.length < fewestOfHour) continue
    const means = asked.map(({ mean }) => mean)
    middle[cell] = median(means)
    const others = mediansOfOthers(means)
    distances[cell] = means.map((mean, i) => Math.abs(mean - others[i]!))
  }
  const level = median(hours.map(({ mean }) => Math.abs(mean)))
  const ofKind = new Map<number, number>()
  for (let cell = 0; cell < hoursOfWeek; cell++) {
    if (Number.isNaN(middle[cell]!)) continue
    const kind = kindOf(cell)
    let usual = ofKind.get(kind)
    if (usual === undefined) {
      const days = isWeekend(cell) ? [5, 6] : [0, 1, 2, 3, 4]
      ofKind.set(kind, (usual = spreadOf(days.flatMap((weekday) => distances[weekday * 24 + (cell % 24)]!))))
    }
    const beside = [hoursOfWeek - 1, 0, 1].flatMap((away) => distances[(cell + away) % hoursOfWeek]!)
    spread[cell] = Math.max(spreadOf(beside), usual / 2, least, level / 50)
  }
  return { middle, spread }
}

/** How far an hour lies from what is usual, in multiples of how far such hours usually do. */
function timesOf({ middle, spread }: Shape, { cell, mean }: Hour): number {
  return Number.isNaN(middle[cell]!) ? 0 : (mean - middle[cell]!) / spread[cell]!
}

/** Days with so many hours unlike their kind that they are none of it: holidays, failures, works. */
function oddDaysOf(shape: Shape, hours: readonly Hour[]): Set<number> {
  const days = groupsBy(hours, (each) => each.day)
  const odd = [...days].filter(
    ([, list]) =>
      list.filter((each) => Math.abs(timesOf(shape, each)) > unlike).length >= Math.max(3, list.length * oddShare),
  )
  return odd.length > days.size * mostOdd ? new Set() : new Set(odd.map(([index]) => index))
}

/**
 * The first of the last days that have all stayed on one side of what was usual before them, where that are enough of
 * them; null: they have not.
 */
function shiftOf(hours: readonly Hour[], least: number): number | null {
  const days = [...groupsBy(hours, (each) => each.day)].sort(([a], [b]) => a - b)
  const latest = days.slice(-daysOfShift)
  const first = latest[0]?.[0]
  if (first === undefined || days.length < daysOfShift + fewestDaysOfUsual) return null
  const shape = shapeOf(
    hours.filter(({ day: index }) => index < first),
    least,
    robustSpread,
  )
  const sideOf = (list: readonly Hour[]) => {
    const times = median(list.map((each) => timesOf(shape, each)))
    return Math.abs(times) > unlike / 2 ? Math.sign(times) : 0
  }
  const sides = latest.map(([, list]) => sideOf(list))
  return sides[0] !== 0 && sides.every((side) => side === sides[0]) ? first : null
}

/**
 * Learns what is usual for a series from its own past. Robust by medians throughout: up to half of the weeks may be
 * anything. Days that are unlike all others of their weekday (a holiday) count for nothing unless they are many; times
 * of which somebody was told teach nothing for two weeks; what has stayed different for two weeks is what is usual from
 * its first day on, and the learning begins anew there.
 * @param hours ascending; of six weeks at most, see `daysOfUsual`
 * @param least a difference that is none, in the unit of the series
 * @param anew nothing before it counts: somebody said so
 * @returns null where there is nothing to learn from
 */
export function learnUsual(
  hours: readonly HourOfUsual[],
  zone: string,
  { least, leftOut = [], anew = null }: { least: number; leftOut?: readonly LeftOut[]; anew?: Millis | null },
): Usual | null {
  const clock = clockOf(zone)
  // By their day: what was brought of long ago was read at another pace than what agents tell.
  const counts = new Map(
    [...groupsBy(hours, ({ at }) => Math.floor(at / day))].map(([index, list]) => [
      index,
      median(list.map(({ count }) => count)),
    ]),
  )
  const all = hours.flatMap(({ at, mean, count }): Hour[] => {
    const isPart = count < counts.get(Math.floor(at / day))! / 4
    if (isPart || (anew !== null && at < anew)) return []
    const local = clock(at + hour / 2)
    return [{ at, cell: cellAt(local), day: Math.floor(local / day), mean }]
  })
  const shifted = shiftOf(all, least)
  const since = shifted === null ? all : all.filter(({ day: index }) => index >= shifted)
  const [first, last] = [since[0], since.at(-1)]
  if (!first || !last) return null
  // What has been told of for longer than that teaches again, or nothing would in the end.
  const told = leftOut.map(({ from, until }) => ({ from, until: Math.min(until, from + daysOfShift * day) }))
  const isTold = ({ at }: Hour) => told.some(({ from, until }) => at + hour > from && at < until)
  const untold = since.filter((each) => !isTold(each))
  // What began anew was told as unusual itself.
  const teaches = shifted === null && untold.length ? untold : since
  const odd = oddDaysOf(shapeOf(teaches, least, robustSpread), teaches)
  const kept = teaches.filter(({ day: index }) => !odd.has(index))
  const beginsAt = (index: number) => since.find((each) => each.day === index)!.at
  return {
    zone,
    from: first.at,
    until: last.at + hour,
    days: new Set(since.map(({ day: index }) => index)).size,
    ...shapeOf(kept, least, wholeSpread),
    oddDays: [...odd].sort((a, b) => a - b).map(beginsAt),
    beganAnew: shifted === null ? anew : beginsAt(shifted),
  }
}
