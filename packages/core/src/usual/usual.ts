import { hoursOfWeek, localClock, metrics, type MetricName } from '../series'
import { hour, day, type Millis } from '../units'

/** What is usual for a series of a device, hour by hour of the week on the clocks of its site. */
export interface Usual {
  zone: string
  /** Of what it was learned: from the first hour to the end of the last one. */
  from: Millis
  until: Millis
  /** Of so many days something is known since it began, those that were left out with them. */
  days: number
  /** What is usual at each hour of the week; NaN: nothing is known of it. */
  middle: Float32Array
  /** How far a mean of such an hour usually lies from it. */
  spread: Float32Array
  /** Days that were unlike their kind, and count for nothing: when they begin, on these clocks. */
  oddDays: Millis[]
  /** Since when it stays so different that what was before counts no more. */
  beganAnew: Millis | null
}

/** What is usual at a moment, and how far from it is still ordinary. */
export interface Expected {
  middle: number
  spread: number
}

/** The one name of a series of a device. */
export const usualKey = (metric: MetricName, instance: string): string => `${metric}|${instance}`

const kibibyte = 1024
/** A distance from what is usual that is none, whatever the past says: chosen by what anybody would look into. */
const nothing: Partial<Record<MetricName, number>> = {
  'cpu.busy': 0.02,
  'load.5': 0.1,
  'memory.available': 64 * kibibyte ** 2,
  'paging.out': 64 * kibibyte,
  'files.open': 100,
  'io.latency': 1,
  'io.read': 256 * kibibyte,
  'io.written': 256 * kibibyte,
  'net.received': 32 * kibibyte,
  'net.sent': 32 * kibibyte,
}
/** Of other metrics, so many steps of what is kept of them. */
const stepsOfNothing = 10
export const leastDistance = (metric: MetricName): number =>
  nothing[metric] ?? stepsOfNothing * metrics[metric].resolution

/** Six weeks: what was longer ago tells of another time of the year. */
export const daysOfUsual = 42
/** Nothing is told before each hour of the week was there twice. */
export const fewestDaysOfUsual = 14

/** Days begin on Thursday, 1 January 1970. */
const hoursBeforeThursday = 72

export const cellAt = (local: Millis): number =>
  (((Math.floor(local / hour) + hoursBeforeThursday) % hoursOfWeek) + hoursOfWeek) % hoursOfWeek

type ZoneClock = (at: Millis) => Millis
const clocks = new Map<string, ZoneClock>()
/** Enough for what is looked back at in a zone; then it is worked out anew. */
const daysKept = 200

/** The clock of a zone, quick for times of the same days: on nearly all of them clocks are not changed. */
export function clockOf(zone: string): ZoneClock {
  let clock = clocks.get(zone)
  if (!clock) clocks.set(zone, (clock = clockOfDays(localClock(zone))))
  return clock
}

function clockOfDays(exact: ZoneClock): ZoneClock {
  const offsets = new Map<number, number | null>()
  return (at) => {
    const index = Math.floor(at / day)
    let offset = offsets.get(index)
    if (offset === undefined) {
      const ahead = (time: Millis) => exact(time) - time
      const first = ahead(index * day)
      if (offsets.size >= daysKept) offsets.clear()
      offsets.set(index, (offset = first === ahead((index + 1) * day) ? first : null))
    }
    return offset === null ? exact(at) : at + offset
  }
}

function between(values: Float32Array, cell: number, next: number, part: number): number {
  const [a, b] = [values[cell]!, values[next]!]
  return Number.isNaN(b) ? a : a + part * (b - a)
}

/**
 * What is usual at the middle of a span. Between the middles of two hours it goes from one to the other, so that the
 * edge of an hour is no step.
 * @returns null where nothing is known of that hour
 */
export function expectedOver({ zone, middle, spread }: Usual, from: Millis, until: Millis): Expected | null {
  const local = clockOf(zone)((from + until) / 2) - hour / 2
  const [cell, next] = [cellAt(local), cellAt(local + hour)]
  const part = (local - Math.floor(local / hour) * hour) / hour
  const [near, other] = part < 0.5 ? [cell, next] : [next, cell]
  if (Number.isNaN(middle[near]!)) return null
  const towards = part < 0.5 ? part : 1 - part
  return {
    middle: between(middle, near, other, towards),
    // On a slope either hour's spread may be the one that counts.
    spread: Math.max(spread[near]!, towards > 0 && !Number.isNaN(spread[other]!) ? spread[other]! : 0),
  }
}

/** How many days are to go until it can judge; 0: it can. */
export const daysToGo = ({ days }: Pick<Usual, 'days'>, training: Millis): number =>
  Math.max(0, Math.ceil(training / day) - days)

/** What is known of a series that is learned anew, and has no hours since. */
export const nothingUsual = (zone: string, beganAnew: Millis): Usual => ({
  zone,
  from: beganAnew,
  until: beganAnew,
  days: 0,
  middle: new Float32Array(hoursOfWeek).fill(NaN),
  spread: new Float32Array(hoursOfWeek).fill(NaN),
  oddDays: [],
  beganAnew,
})
