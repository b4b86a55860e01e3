import { ageText } from '../../text'
import { minute } from '../../units'
import { read, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const parameters: readonly Parameter[] = [
  {
    name: 'after',
    type: 'duration',
    label: 'Silent for',
    default: 5 * minute,
    min: 1000,
    max: 86_400_000 * 31,
    explains: 'Never shorter than 2.5 report intervals, so that one lost report is no alarm.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'critical',
    explains: 'A server that stops reporting is a problem; a workstation that is off at night is not.',
  },
]

/** Gap after which a device counts as silent, in report intervals. */
export const silentIntervals = 2.5

export const silence: WatchKind = {
  name: 'silence',
  title: 'Device silent',
  subject: 'silence',
  collector: null,
  about: [],
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    return sentence`When the device is silent for ${say('after')}, raise ${say('severity')}; clear when it reports again.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, heardAt, interval }) {
    const silentFor = at - heardAt
    const failing = silentFor > silentIntervals * interval && silentFor >= read.number(values, 'after')
    return [
      {
        instance: '',
        failing: failing ? [read.severity(values, 'severity')!] : [],
        well: !failing,
        evidence: () => ({ text: failing ? `nothing heard for ${ageText(silentFor)}` : 'reporting', value: silentFor }),
        ...(failing ? { since: heardAt } : {}),
      },
    ]
  },
}
