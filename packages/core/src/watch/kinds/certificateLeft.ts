import { allTimes, timesBeyond } from '../../series'
import { chosen, durationText } from '../../text'
import { day, hour, minute, second } from '../../units'
import { read, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const parameters: readonly Parameter[] = [
  {
    name: 'names',
    type: 'patterns',
    label: 'Ports',
    default: ['*'],
    explains: 'Numbers of ports, with * for any run of digits.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Ports left out',
    default: [],
    adds: true,
    explains: 'What nobody but the machine itself looks at.',
  },
  {
    name: 'warning',
    type: 'duration',
    label: 'warning below',
    default: 21 * day,
    max: 3650 * day,
    optional: true,
    explains: 'Enough to renew in working hours. Three weeks are common practice, no source.',
  },
  {
    name: 'critical',
    type: 'duration',
    label: 'critical below',
    default: 7 * day,
    max: 3650 * day,
    optional: true,
    explains: 'From here on somebody has to do it now.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 10 * minute,
    max: day,
    explains: 'While it is being renewed, an old one may be served for a moment.',
  },
]
const levels = ['warning', 'critical'] as const

/** How long the certificate that a port of the device shows stays valid (notAfter, RFC 5280, section 4.1.2.5). */
export const certificateLeft: WatchKind = {
  name: 'certificate-left',
  title: 'Certificate',
  subject: 'certificate',
  collector: 'certificates',
  metric: 'certificate.left',
  about: ['warning', 'critical'],
  lines: (values) =>
    levels.flatMap((severity) => {
      const limit = read.optional(values, severity)
      return limit === null ? [] : [{ severity, value: limit / second }]
    }),
  choosing: {
    include: 'names',
    except: 'except',
    of: (facts) =>
      (facts.ports ?? [])
        .filter((port) => port.protocol === 'tcp')
        .map(({ port }) => ({ name: String(port), title: '' })),
  },
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const raise = levels
      .filter((level) => read.optional(values, level) !== null)
      .flatMap((level, i) =>
        i === 0 ? sentence`within ${say(level)}, raise ${level}` : sentence`; within ${say(level)}, ${level}`,
      )
    const names = read.list(values, 'names')
    const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
    const ports =
      names.length === 1 && names[0] === '*'
        ? say('names', 'every port with a certificate')
        : say('names', `port ${names.join(', ')}`)
    return sentence`On ${ports}${except}, when that ends ${raise}; seen for ${say('hold')}; clear when it is renewed.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  gone: (values, { facts }, port) =>
    !chosen(read.list(values, 'names'), read.list(values, 'except'), port) ||
    (facts.ports !== undefined && !facts.ports.some((candidate) => String(candidate.port) === port)),
  suspects(values, { series }) {
    const limits = levels.flatMap((level) => read.optional(values, level) ?? [])
    const first = Math.max(-Infinity, ...limits) / second
    const [names, except] = [read.list(values, 'names'), read.list(values, 'except')]
    return allTimes(
      series
        .filter(({ metric, instance }) => metric === 'certificate.left' && chosen(names, except, instance))
        .map(({ samples }) => timesBeyond(samples, first, -1)),
    )
  },
  observe(values, { readings }) {
    return readings
      .filter(
        ([metric, port]) =>
          metric === 'certificate.left' && chosen(read.list(values, 'names'), read.list(values, 'except'), port),
      )
      .map(([, instance, seconds]) => {
        const left = seconds * second
        const failing = levels.filter((level) => {
          const limit = read.optional(values, level)
          return limit !== null && left < limit
        })
        return {
          instance,
          failing,
          well: failing.length === 0,
          evidence: () => ({
            text:
              left < 0
                ? `the certificate of port ${instance} has expired`
                : `the certificate of port ${instance} is valid for another ${durationText(Math.floor(left / (left < day ? hour : day)) * (left < day ? hour : day))}`,
            value: seconds,
          }),
        }
      })
  },
}
