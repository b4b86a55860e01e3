import { hoursOfWeek, localClock, type MetricName } from '../../series'
import { day, hour, minute, type Millis } from '../../units'

/** Numbers from 0 to 1 that are the same each time: mulberry32, by Tommy Ettinger (public domain). */
export function chance(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let t = Math.imul(state ^ (state >>> 15), state | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

/** A series that is made, with all that real ones have: days that differ, holidays, jobs that begin when they like. */
export interface MadeSeries {
  name: string
  metric: MetricName
  step: Millis
  at: Float64Array
  value: Float64Array
}

export const zoneOfMade = 'Europe/Lisbon'
/** A Monday; the clocks are changed in the third week. */
export const beginOfMade = Date.UTC(2026, 9, 5)
export const weeksOfMade = 12

interface Moment {
  /** Hour of the day, with its part; day of the week from 0, Monday; day since the beginning. */
  clock: number
  weekday: number
  index: number
  isHoliday: boolean
  /** Of this day: about 1. */
  level: number
  /** Each time another, from 0 to 1. */
  any: () => number
  /** Goes up and down about 0 by about 1, slowly. */
  drift: number
}

/** A Wednesday of the third week, a Thursday and Friday of the seventh, a Monday of the tenth. */
const holidays = new Set([16, 45, 46, 63])

function normal(any: () => number): number {
  // Box and Muller, “A Note on the Generation of Random Normal Deviates”, 1958.
  return Math.sqrt(-2 * Math.log(1 - any())) * Math.cos(2 * Math.PI * any())
}

function made(name: string, metric: MetricName, seed: number, valueAt: (moment: Moment) => number): MadeSeries {
  const step = 5 * minute
  const any = chance(seed)
  const clock = localClock(zoneOfMade)
  const count = (weeksOfMade * hoursOfWeek * hour) / step
  const levels = Array.from({ length: weeksOfMade * 7 + 2 }, () => Math.exp(0.12 * normal(any)))
  let drift = 0
  const first = Math.floor(clock(beginOfMade) / day)
  const at = Float64Array.from({ length: count }, (_, i) => beginOfMade + i * step)
  const value = at.map((time) => {
    const local = clock(time)
    const index = Math.floor(local / day) - first
    drift = 0.97 * drift + Math.sqrt(1 - 0.97 ** 2) * normal(any)
    return valueAt({
      clock: (local - Math.floor(local / day) * day) / hour,
      weekday: ((index % 7) + 7) % 7,
      index,
      isHoliday: holidays.has(index),
      level: levels[Math.max(0, index)]!,
      any,
      drift,
    })
  })
  return { name, metric, step, at, value }
}

const share = (value: number) => Math.min(1, Math.max(0.003, value))
/** How much of a house works at a time of day: from eight to six, fewer at noon. */
function working({ clock, weekday, isHoliday }: Moment): number {
  if (weekday > 4 || isHoliday || clock < 7 || clock > 19) return 0
  const up = Math.min(1, (clock - 7) / 1.5)
  const down = Math.min(1, (19 - clock) / 2)
  return Math.min(up, down) * (clock > 12.5 && clock < 13.5 ? 0.7 : 1)
}

/** The sorts of machines that are watched, each in its own way awkward. */
export const madeSeries: readonly MadeSeries[] = [
  made('office server, a backup each night', 'cpu.busy', 1, (m) => {
    const backup = m.clock > 1 + 0.2 * m.level - 0.2 && m.clock < 2.1 ? 0.55 : 0
    return share(0.07 + 0.35 * working(m) * m.level + backup + 0.02 * m.drift + 0.01 * normal(m.any))
  }),
  made('shop, evenings and weekends, growing', 'net.sent', 2, (m) => {
    const evening = Math.exp(-(((m.clock - 20.5) / 3) ** 2)) + 0.35 * Math.exp(-(((m.clock - 12.5) / 2.5) ** 2))
    const growth = 1 + 0.01 * (m.index / 7)
    const base = 150e3 + 4e6 * evening * (m.weekday > 4 ? 1.4 : 1)
    return base * growth * m.level * Math.exp(0.12 * m.drift + 0.1 * normal(m.any))
  }),
  made('quiet appliance', 'cpu.busy', 3, (m) => share(0.04 + 0.004 * m.drift + 0.004 * normal(m.any))),
  made('jobs at any time', 'cpu.busy', 4, (m) => {
    // A job comes about every three hours, and takes a quarter of one.
    const isBusy = Math.sin(m.index * 7.3 + Math.floor(m.clock * 4) * 12.9898) * 43758.5453
    const job = isBusy - Math.floor(isBusy) < 0.08 ? 0.6 : 0
    return share(0.1 + job + 0.03 * m.drift + 0.01 * normal(m.any))
  }),
  made('shared desktops, memory available', 'memory.available', 5, (m) => {
    const used = 0.15 + 0.55 * working(m) * Math.min(1.15, m.level) + 0.012 * m.drift
    return 64e9 * Math.max(0.02, 1 - used)
  }),
  made('batch each evening, begun by hand', 'cpu.busy', 6, (m) => {
    const begins = 19.5 + 4 * (m.level - 0.8)
    const runs = m.clock > begins && m.clock < begins + 2
    return share(0.05 + (runs && m.weekday < 5 ? 0.6 : 0) + 0.01 * m.drift + 0.01 * normal(m.any))
  }),
  made('files, written in bursts', 'io.written', 7, (m) => {
    const works = 300e3 + 9e6 * working(m) * m.level
    return works * Math.exp(0.5 * m.drift + 0.5 * normal(m.any))
  }),
]
