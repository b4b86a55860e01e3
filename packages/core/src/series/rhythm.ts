import { day, hour, minute, type Millis } from '../units'
import { localTime } from '../watch/hours'
import type { Samples } from './samples'
import { quantile } from './summary'

/** Hours of a week are counted from Monday 00:00 on the clocks of a zone: Tuesday from 9 to 10 is 33. */
export const hoursOfWeek = 168
const daysBeforeMonday = 3

/** One such hour of one week. Where clocks are set back it is two hours long. */
export interface RhythmMoment {
  cell: number
  /** The Monday of its week, in days since 1970 on the clocks of the zone. */
  week: number
  /** When the hour begins and ends. */
  from: Millis
  until: Millis
  count: number
  min: number
  mean: number
  max: number
}

/** What is known of one hour of the week. */
export interface RhythmCell {
  cell: number
  /** In how many weeks. */
  weeks: number
  median: number
  p95: number
  /** The share of its readings that lie beyond the value that was asked for; null: none was. */
  beyond: number | null
}

/** Hours on end that are unlike the same hours of all other days. */
export interface StandingOut {
  /** The first cell, and the one after the last. */
  from: number
  until: number
  median: number
  /** Of the day that comes nearest to it at that hour. */
  elsewhere: number
  /** How far it lies from that, in multiples of what weeks usually differ by. */
  times: number
}

export interface Rhythm {
  /** Only those that have readings, ascending. */
  cells: RhythmCell[]
  /** In the order of time. */
  moments: RhythmMoment[]
  /** The farthest first. */
  standingOut: StandingOut[]
}

const quarter = 15 * minute

/** Turns times into those of a zone's clocks, as milliseconds since 1970 there. Zones change by quarters of an hour. */
export function localClock(zone: string): (at: Millis) => Millis {
  let [known, offset] = [NaN, 0]
  return (at) => {
    const index = Math.floor(at / quarter)
    if (index !== known) {
      known = index
      const start = index * quarter
      const { day: weekday, minutes } = localTime(start, zone)
      const utc = (Math.floor(start / minute) + daysBeforeMonday * 1440) % (7 * 1440)
      const ahead = (weekday - 1) * 1440 + minutes - utc
      offset = (((ahead + 10_080 + 5040) % 10_080) - 5040) * minute
    }
    return at + offset
  }
}

/** Which hour of the week it is then, and in the week of which Monday. */
function placeOf(local: Millis): { cell: number; week: number } {
  const days = Math.floor(local / day)
  const week = Math.floor((days + daysBeforeMonday) / 7) * 7 - daysBeforeMonday
  return { cell: Math.floor((local - week * day) / hour), week }
}

const median = (values: number[]): number => quantile(Float64Array.from(values).sort(), 0.5)

/** At least so many multiples of what weeks usually differ by: common practice for outliers, no source. */
const farEnough = 4
/** A day apart says nothing when there was only one. */
const fewestWeeks = 2

/**
 * Hours of the week that lie beyond the same hour of every other day, by more than weeks usually differ at one hour:
 * the median of the distances from an hour's median, times 1.4826 as for a normal distribution (Rousseeuw and Croux,
 * “Alternatives to the Median Absolute Deviation”, 1993).
 * @param sign 1: more than elsewhere, −1: less
 */
function standOut(cells: readonly RhythmCell[], moments: readonly RhythmMoment[], sign: 1 | -1): StandingOut[] {
  const byCell = new Map(cells.map((cell) => [cell.cell, cell]))
  const distances = moments.map((moment) => Math.abs(moment.mean - byCell.get(moment.cell)!.median))
  if (!distances.length) return []
  const highest = Math.max(...cells.map((cell) => Math.abs(cell.median)))
  const usual = Math.max(1.4826 * median(distances), highest / 1000)
  if (usual === 0) return []
  const found: StandingOut[] = []
  for (const { cell, weeks, median: value } of cells) {
    if (weeks < fewestWeeks) continue
    const others = [1, 2, 3, 4, 5, 6].flatMap((days) => {
      const other = byCell.get((cell + 24 * days) % hoursOfWeek)
      return other ? [sign * other.median] : []
    })
    if (others.length < 3) continue
    const elsewhere = Math.max(...others)
    const times = (sign * value - elsewhere) / usual
    if (times < farEnough) continue
    const last = found.at(-1)
    const one = { from: cell, until: cell + 1, median: value, elsewhere: sign * elsewhere, times }
    if (last?.until !== cell) found.push(one)
    else if (times > last.times) Object.assign(last, one, { from: last.from })
    else last.until = cell + 1
  }
  return found.sort((a, b) => b.times - a.times)
}

/**
 * When in a week a series is how: for each hour of the week what is usual there, and each of its moments.
 * @param beyond asks for the share of readings above this value, or below it where `sign` is −1
 * @param sign which way is worse: 1 up, −1 down
 */
export function rhythmOf({ at, value }: Samples, zone: string, sign: 1 | -1, beyond: number | null): Rhythm {
  const clock = localClock(zone)
  const values = new Map<number, number[]>()
  const moments: RhythmMoment[] = []
  let now: RhythmMoment | undefined
  let sum = 0
  let slot = NaN
  for (let i = 0; i < at.length; i++) {
    const [time, reading] = [at[i]!, value[i]!]
    const local = clock(time)
    const index = Math.floor(local / hour)
    if (index !== slot || !now) {
      slot = index
      sum = 0
      const { cell, week } = placeOf(local)
      now = {
        cell,
        week,
        from: time - (local - index * hour),
        until: time,
        count: 0,
        min: reading,
        mean: reading,
        max: reading,
      }
      moments.push(now)
      if (!values.has(cell)) values.set(cell, [])
    }
    sum += reading
    now.count++
    now.until = time + (index + 1) * hour - local
    now.mean = sum / now.count
    if (reading < now.min) now.min = reading
    if (reading > now.max) now.max = reading
    values.get(now.cell)!.push(reading)
  }
  const weeks = new Map<number, Set<number>>()
  for (const { cell, week } of moments) weeks.set(cell, (weeks.get(cell) ?? new Set()).add(week))
  const cells = [...values]
    .sort(([a], [b]) => a - b)
    .map(([cell, all]): RhythmCell => {
      const sorted = Float64Array.from(all).sort()
      const isBeyond = (reading: number) => sign * reading > sign * beyond!
      return {
        cell,
        weeks: weeks.get(cell)!.size,
        median: quantile(sorted, 0.5),
        p95: quantile(sorted, sign === 1 ? 0.95 : 0.05),
        beyond: beyond === null ? null : all.filter(isBeyond).length / all.length,
      }
    })
  return { cells, moments, standingOut: standOut(cells, moments, sign) }
}

/** How a series was in certain hours of the week against the same hours of other days. */
export interface AtThatTime {
  /** Median of the moments in these hours. */
  there: number
  /** Of the same hours on the other days. */
  elsewhere: number
  /** The difference, each from its hour of the day, in multiples of what such hours usually differ by. */
  times: number
}

/**
 * @param least a difference that is none, above 0: what hours usually differ by is never taken for less
 * @returns null where one side has no readings
 */
export function atThatTime(
  moments: readonly RhythmMoment[],
  isThere: (moment: RhythmMoment) => boolean,
  least: number,
): AtThatTime | null {
  const there: RhythmMoment[] = []
  const others = new Map<number, number[]>()
  for (const moment of moments)
    if (isThere(moment)) there.push(moment)
    else others.set(moment.cell % 24, [...(others.get(moment.cell % 24) ?? []), moment.mean])
  const usualAt = new Map([...others].map(([hour, means]) => [hour, median(means)]))
  const compared = there.filter(({ cell }) => usualAt.has(cell % 24))
  if (!compared.length) return null
  const hours = new Set(compared.map(({ cell }) => cell % 24))
  const elsewhere = [...hours].flatMap((hour) => others.get(hour)!)
  const distances = [...hours].flatMap((hour) => others.get(hour)!.map((mean) => Math.abs(mean - usualAt.get(hour)!)))
  const differences = compared.map(({ cell, mean }) => mean - usualAt.get(cell % 24)!)
  const [middle, difference] = [median(elsewhere), median(differences)]
  const usual = Math.max(1.4826 * median(distances), Math.abs(middle) / 1000, least)
  return {
    there: median(compared.map(({ mean }) => mean)),
    elsewhere: middle,
    times: difference / usual,
  }
}
