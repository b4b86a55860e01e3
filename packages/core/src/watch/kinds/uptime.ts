import { timesBeyond, type Reading } from '../../series'
import { ageText } from '../../text'
import { day, hour, minute, second, type Millis } from '../../units'
import { read, type Recorded, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const uptimeIn = (readings: readonly Reading[]): Millis | null => {
  const seconds = readings.find(([metric]) => metric === 'uptime')?.[2]
  return seconds === undefined ? null : seconds * second
}
const samplesOf = ({ series }: Recorded) => series.find(({ metric }) => metric === 'uptime')?.samples
const seconds = (length: Millis) => length / second

const restarts: readonly Parameter[] = [
  {
    name: 'within',
    type: 'duration',
    label: 'Within',
    default: 30 * minute,
    min: 5 * minute,
    max: day,
    explains: 'So long a restart is told. A window holds it back as any other alert: what was planned tells nobody.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'It runs again; somebody looks why it did not for a while.',
  },
]

/** A machine that was started anew. */
export const restarted: WatchKind = {
  name: 'restarted',
  title: 'Restarted',
  subject: 'silence',
  collector: 'performance',
  metric: 'uptime',
  about: [],
  parameters: restarts,
  sentence(values) {
    const say = sayer(restarts, values)
    return sentence`When the machine was started within the last ${say('within')}, raise ${say('severity')}; clear after that.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  suspects: (values, recorded) => {
    const samples = samplesOf(recorded)
    return samples ? timesBeyond(samples, seconds(read.number(values, 'within')), -1) : []
  },
  observe(values, { readings, at }) {
    const up = uptimeIn(readings)
    if (up === null) return []
    const failing = up < read.number(values, 'within')
    return [
      {
        instance: '',
        failing: failing ? [read.severity(values, 'severity')!] : [],
        well: !failing,
        evidence: () => ({
          text: failing ? `started ${ageText(up)} before` : `up for ${ageText(up)}`,
          value: seconds(up),
        }),
        ...(failing ? { since: Math.max(0, at - up) } : {}),
      },
    ]
  },
}

const order = ['notice', 'warning', 'critical'] as const
const lasting: readonly Parameter[] = order.map((level) => ({
  name: level,
  type: 'duration',
  label: `${level} after`,
  default: level === 'notice' ? 90 * day : null,
  optional: true,
  min: hour,
  max: 3650 * day,
  explains:
    'What updates mended in the kernel is not in force until then, and nobody knows any more whether it comes up again. 90 days are chosen, no source.',
}))

/** A machine that was not started anew for long. */
export const upForLong: WatchKind = {
  name: 'up-for-long',
  title: 'Not restarted for long',
  subject: 'silence',
  collector: 'performance',
  metric: 'uptime',
  about: order,
  parameters: lasting,
  lines: (values) =>
    order.flatMap((severity) => {
      const limit = read.optional(values, severity)
      return limit === null ? [] : [{ severity, value: seconds(limit) }]
    }),
  sentence(values) {
    const say = sayer(lasting, values)
    const set = order.filter((level) => read.optional(values, level) !== null)
    const raise = set.flatMap((level, i) =>
      i === 0 ? sentence`longer than ${say(level)}, raise ${level}` : sentence`; longer than ${say(level)}, ${level}`,
    )
    return sentence`When the machine was not started anew for ${raise.length ? raise : 'however long, nothing is asked'}; clear after a restart.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  suspects: (values, recorded) => {
    const samples = samplesOf(recorded)
    const limits = order.flatMap((level) => read.optional(values, level) ?? [])
    return samples && limits.length ? timesBeyond(samples, seconds(Math.min(...limits)), 1) : []
  },
  observe(values, { readings }) {
    const up = uptimeIn(readings)
    if (up === null) return []
    const failing = order.filter((level) => up > (read.optional(values, level) ?? Infinity))
    return [
      {
        instance: '',
        failing,
        well: failing.length === 0,
        evidence: () => ({ text: `up for ${ageText(up)}`, value: seconds(up) }),
      },
    ]
  },
}
