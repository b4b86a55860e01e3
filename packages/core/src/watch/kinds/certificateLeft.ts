import { durationText } from '../../text'
import { day, hour, minute, second } from '../../units'
import { read, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const parameters: readonly Parameter[] = [
  { name: 'warning', type: 'duration', label: 'warning below', default: 21 * day, max: 3650 * day, optional: true, explains: 'Enough to renew in working hours. Three weeks are common practice, no source.' },
  { name: 'critical', type: 'duration', label: 'critical below', default: 7 * day, max: 3650 * day, optional: true, explains: 'From here on somebody has to do it now.' },
  { name: 'hold', type: 'duration', label: 'Hold', default: 10 * minute, max: day, explains: 'While it is being renewed, an old one may be served for a moment.' },
]
const levels = ['warning', 'critical'] as const

/** How long the certificate that a port of the device shows stays valid (notAfter, RFC 5280, section 4.1.2.5). */
export const certificateLeft: WatchKind = {
  name: 'certificate-left',
  title: 'Certificate',
  subject: 'certificate',
  collector: 'certificates',
  metric: 'certificate.left',
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const raise = levels.filter((level) => read.optional(values, level) !== null).flatMap((level, i) =>
      i === 0 ? sentence`within ${say(level)}, raise ${level}` : sentence`; within ${say(level)}, ${level}`)
    return sentence`On every port with a certificate, when that ends ${raise}; seen for ${say('hold')}; clear when it is renewed.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { readings }) {
    return readings.filter(([metric]) => metric === 'certificate.left').map(([, instance, seconds]) => {
      const left = seconds * second
      const failing = levels.filter((level) => {
        const limit = read.optional(values, level)
        return limit !== null && left < limit
      })
      return {
        instance, failing, well: failing.length === 0,
        evidence: () => ({ text: left < 0 ? `the certificate of port ${instance} has expired` : `the certificate of port ${instance} is valid for another ${durationText(Math.floor(left / (left < day ? hour : day)) * (left < day ? hour : day))}`, value: seconds }),
      }
    })
  },
}
