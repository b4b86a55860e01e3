import { noSamples, readingText, timesBeyond, timesShareBeyond, type MetricName, type Reading } from '../../series'
import type { Severity } from '../../severity'
import { minute, type Millis } from '../../units'
import { read, type WatchKind } from '../kind'
import type { Parameter, ParameterType } from '../parameter'
import { sayer, sentence } from '../sentence'

interface Gauge {
  name: string
  title: string
  metric: MetricName
  /** How the sentence calls it: “When … is above”. */
  words: string
  type: Extract<ParameterType, 'percent' | 'bytes' | 'number'>
  /** `above`: large is bad; `below`: small is bad. */
  bad: 'above' | 'below'
  levels: Partial<Record<Severity, number>>
  clear: number
  hold: Millis
  explains: string
  /** Its levels are shares of what this one reads. */
  shareOf?: MetricName
}

const valueOf = (metric: MetricName) => (readings: readonly Reading[]) =>
  readings.find((reading) => reading[0] === metric)?.[2] ?? null
const order = ['notice', 'warning', 'critical'] as const
const units = { percent: 'ratio', bytes: 'bytes/s', number: 'count' } as const

/** A watch kind for one gauge of a device: three levels, one hold, one clear value with its own time. */
function threshold(gauge: Gauge): WatchKind {
  const { type, bad, title } = gauge
  const range = { type, min: 0, max: type === 'percent' ? 1 : 1e15 } as const
  const parameters: readonly Parameter[] = [
    ...order.map((level): Parameter => ({
      ...range,
      name: level,
      label: `${level} ${bad}`,
      default: gauge.levels[level] ?? null,
      optional: true,
      explains: gauge.explains,
    })),
    {
      name: 'hold',
      type: 'duration',
      label: 'Hold',
      default: gauge.hold,
      max: 86_400_000,
      explains: 'A short spike can happen; it must last.',
    },
    {
      ...range,
      name: 'clear',
      label: 'Clear',
      default: gauge.clear,
      explains: 'A little on the good side of the threshold, so that the alert does not come and go.',
    },
    {
      name: 'clear.hold',
      type: 'duration',
      label: 'Clear after',
      default: 5 * minute,
      max: 86_400_000,
      explains: 'How long it must be well again.',
    },
  ]
  const worse = (value: number, limit: number) => (bad === 'above' ? value > limit : value < limit)
  const valueIn = (readings: readonly Reading[]): number | null => {
    const value = valueOf(gauge.metric)(readings)
    if (gauge.shareOf === undefined) return value
    const whole = valueOf(gauge.shareOf)(readings)
    return whole && value !== null ? value / whole : null
  }
  return {
    name: gauge.name,
    title,
    subject: 'performance',
    collector: 'performance',
    metric: gauge.metric,
    about: [...order, 'clear'],
    lines: (values) =>
      order.flatMap((severity) => {
        const value = read.optional(values, severity)
        return value === null ? [] : [{ severity, value, ...(gauge.shareOf ? { shareOf: gauge.shareOf } : {}) }]
      }),
    parameters,
    sentence(values) {
      const say = sayer(parameters, values)
      const raise = order
        .filter((level) => read.optional(values, level) !== null)
        .flatMap((level, i) =>
          i === 0
            ? sentence`${bad} ${say(level)} for ${say('hold')}, raise ${level}`
            : sentence`; ${bad} ${say(level)}, ${level}`,
        )
      return sentence`When ${gauge.words} is ${raise}; clear ${bad === 'above' ? 'below' : 'above'} ${say('clear')} for ${say('clear.hold')}.`
    },
    suspects(values, { series }) {
      const limits = order.flatMap((level) => read.optional(values, level) ?? [])
      if (!limits.length) return []
      const first = bad === 'above' ? Math.min(...limits) : Math.max(...limits)
      const samples = series.find(({ metric }) => metric === gauge.metric)?.samples ?? noSamples
      const whole = series.find(({ metric }) => metric === gauge.shareOf)?.samples ?? noSamples
      const sign = bad === 'above' ? 1 : -1
      if (gauge.shareOf === undefined) return timesBeyond(samples, first, sign)
      return timesShareBeyond(samples, whole, first, sign)
    },
    hold: (values) => ({ for: read.number(values, 'hold') }),
    clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
    observe(values, { readings }) {
      const value = valueIn(readings)
      if (value === null) return []
      const failing = order.filter((level) => {
        const limit = read.optional(values, level)
        return limit !== null && worse(value, limit)
      })
      return [
        {
          instance: '',
          failing,
          well: failing.length === 0 && !worse(value, read.number(values, 'clear')),
          evidence: () => ({ text: `${title} ${readingText(units[type], value)}`, value }),
        },
      ]
    },
  }
}

export const cpuBusy = threshold({
  name: 'cpu-busy',
  title: 'CPU busy',
  metric: 'cpu.busy',
  words: 'the CPU',
  type: 'percent',
  bad: 'above',
  levels: { notice: 0.95, warning: 0.97, critical: 0.99 },
  clear: 0.9,
  hold: 15 * minute,
  explains: '95, 97 and 99 % are common practice, no source.',
})

export const memoryAvailable = threshold({
  name: 'memory-available',
  title: 'Memory available',
  metric: 'memory.available',
  shareOf: 'memory.size',
  words: 'memory available',
  type: 'percent',
  bad: 'below',
  levels: { warning: 0.08, critical: 0.03 },
  clear: 0.12,
  hold: 10 * minute,
  explains: 'What programs can still get without swapping, as a share of all memory.',
})

export const loadPerCore = threshold({
  name: 'load',
  title: 'Load over five minutes',
  metric: 'load.5',
  words: 'load over five minutes per core',
  type: 'number',
  bad: 'above',
  levels: { warning: 3 },
  clear: 2,
  hold: 20 * minute,
  explains: '3 is common practice, no source; here per core, so that it means the same on every machine.',
})

export const pagingOut = threshold({
  name: 'paging',
  title: 'Swapping',
  metric: 'paging.out',
  words: 'swapping out',
  type: 'bytes',
  bad: 'above',
  levels: { warning: 5e6, critical: 50e6 },
  clear: 1e6,
  hold: 10 * minute,
  explains: 'Bytes a second written to swap; a machine that swaps steadily is slow at once.',
})
