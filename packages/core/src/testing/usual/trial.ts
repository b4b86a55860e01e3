import { hoursOf, metrics } from '../../series'
import { day, hour, minute, type Millis } from '../../units'
import { daysOfUsual, hoursToLearn, learnUsual, leastDistance, type HourOfUsual, type Usual } from '../../usual'
import { triedUnusual, type ToldUnusual, type Values } from '../../watch'
import { demand, demandFrom } from './demand'
import { chance, type MadeSeries } from './made'

/** Something that is not as usual, planted into a series. */
export interface Planted {
  name: string
  from: Millis
  until: Millis
}

/** How a series becomes unusual: its value at a moment, by how far through it is, and by how it is at its busiest. */
export interface Fault {
  name: string
  lasts: Millis
  /** On the clocks of a working day. */
  hours: readonly number[]
  /** More is worse, and what is scarce has less. */
  becomes(value: number, through: number, high: number): number
}

export const faults: readonly Fault[] = [
  {
    name: 'a program in a loop, at night',
    lasts: 5 * hour,
    hours: [22, 3],
    becomes: (value, _, high) => value + 0.8 * high,
  },
  {
    name: 'a program in a loop, by day',
    lasts: 5 * hour,
    hours: [9, 12],
    becomes: (value, _, high) => value + 0.8 * high,
  },
  { name: 'twice as much', lasts: 3 * hour, hours: [10, 15], becomes: (value) => 2 * value },
  {
    name: 'half as much again',
    lasts: 4 * hour,
    hours: [9, 14],
    becomes: (value) => 1.5 * value,
  },
  {
    name: 'slowly more, for ten hours',
    lasts: 10 * hour,
    hours: [8, 21],
    becomes: (value, through, high) => value + 1.2 * through * high,
  },
]

/** Real numbers as a series of a device. */
export function demandSeries(): MadeSeries {
  const step = 30 * minute
  return {
    name: 'electricity demand of England and Wales, 2000 (Taylor)',
    metric: 'net.received',
    step,
    at: Float64Array.from(demand, (_, i) => demandFrom + i * step),
    value: Float64Array.from(demand, (megawatts) => megawatts * 1000),
  }
}

const testedAfter = 5 * 7 * day

/** A series with one fault every eight days of what is judged, each at another time of the day, by a seed. */
export function planted(series: MadeSeries, fault: Fault, seed: number): { series: MadeSeries; faults: Planted[] } {
  const any = chance(seed)
  const value = series.value.slice()
  const found: Planted[] = []
  const sorted = series.value.slice().sort()
  const range = sorted[Math.floor(sorted.length * 0.95)]! - sorted[Math.floor(sorted.length * 0.05)]!
  // A program in a loop takes a core, and four are ordinary.
  const high = series.metric === 'cpu.busy' ? Math.max(range, 0.3) : range
  const scarce = 'scarce' in metrics[series.metric]
  const { min, max } = metrics[series.metric]
  for (let at = series.at[0]! + testedAfter + 2 * day; at < series.at.at(-1)! - day; at += 8 * day) {
    const from = at + fault.hours[Math.floor(any() * fault.hours.length)]! * hour + Math.floor(any() * 12) * 5 * minute
    const until = from + fault.lasts
    series.at.forEach((time, i) => {
      if (time < from || time >= until) return
      const was = value[i]!
      const worse = fault.becomes(was, (time - from) / fault.lasts, high)
      value[i] = Math.min(max, Math.max(min, scarce ? was - (worse - was) : worse))
    })
    found.push({ name: fault.name, from, until })
  }
  return { series: { ...series, value }, faults: found }
}

/** What became of the hours of a series. */
export function hoursOfSeries({ metric, at, value }: MadeSeries): HourOfUsual[] {
  return hoursToLearn(metric, hoursOf(metric, { at, value }))
}

/** Judges a series from its sixth week on as the server does: what is usual is learned anew each day, by six weeks. */
export function judged(series: MadeSeries, zone: string, values: Values): ToldUnusual[] {
  const { metric, step, at, value } = series
  const first = at.findIndex((time) => time >= at[0]! + testedAfter)
  const all = hoursOfSeries(series)
  let usual: Usual | null = null
  let learned = NaN
  return triedUnusual(
    {
      metric,
      instance: metrics[metric].instance === null ? '' : 'a',
      samples: { at: at.slice(first), value: value.slice(first) },
    },
    { values, interval: step, zone },
    (time, told) => {
      const today = Math.floor(time / day) * day
      if (today !== learned) {
        learned = today
        const hours = all.filter((each) => each.at >= today - daysOfUsual * day && each.at < today)
        const leftOut = told.map(({ from, until }) => ({ from, until: Math.min(until, today) }))
        usual = learnUsual(hours, zone, { least: leastDistance(metric), leftOut })
      }
      return usual
    },
  )
}

export interface Outcome {
  planted: number
  found: number
  /** Told without a reason, in the weeks that were judged. */
  falseAlarms: number
  weeks: number
  /** From the beginning of a fault to when it was told; the median. */
  delay: Millis | null
}

/** Holds what was told against what was planted. What is told within an hour after a fault is still of it. */
export function outcomeOf(series: MadeSeries, told: readonly ToldUnusual[], faultsOf: readonly Planted[]): Outcome {
  const isOf = (fault: Planted, one: ToldUnusual) => one.from < fault.until + hour && one.until > fault.from
  const delays = faultsOf.flatMap((fault) => {
    const one = told.find((each) => isOf(fault, each))
    return one ? [Math.max(0, one.from - fault.from)] : []
  })
  delays.sort((a, b) => a - b)
  return {
    planted: faultsOf.length,
    found: delays.length,
    falseAlarms: told.filter((one) => !faultsOf.some((fault) => isOf(fault, one))).length,
    weeks: (series.at.at(-1)! - series.at[0]! - testedAfter) / (7 * day),
    delay: delays[Math.floor(delays.length / 2)] ?? null,
  }
}
