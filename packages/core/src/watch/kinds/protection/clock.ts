import type { ClockKeeping } from '../../../estate'
import { day, hour, minute } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'

const words: Record<NonNullable<ClockKeeping['because']>, string> = {
  'no-service': 'nothing on it does',
  'no-server': 'no server was reached',
}

const parameters: readonly Parameter[] = [
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains:
      'It drifts from now on: sign-ins by ticket fail from five minutes off (RFC 4120, 8.2), logs do not match.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: hour,
    min: minute,
    max: 30 * day,
    explains: 'After a start it takes some minutes, and a server of time may be away: common practice, no source.',
  },
]

/** Whether something keeps its clock right; how far it is off, *clock off* says. */
export const clockKept: WatchKind = {
  name: 'clock-kept',
  title: 'Clock not kept right',
  subject: 'protection',
  collector: 'protection',
  about: [],
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    return sentence`When nothing has kept the clock right for ${say('hold')}, raise ${say('severity')}; clear when it is kept again.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { facts: { protection } }) {
    if (!protection) return []
    const { isSynchronised, because, trouble } = protection.clock
    return [
      {
        instance: '',
        failing: isSynchronised === false ? [read.severity(values, 'severity')!] : [],
        well: isSynchronised === true,
        evidence: () => ({
          subject: 'clock',
          text:
            isSynchronised === null
              ? `clock cannot be told${trouble ? `: ${trouble}` : ''}`
              : `clock is ${isSynchronised ? '' : 'not '}kept right${because ? `: ${words[because]}` : ''}`,
        }),
      },
    ]
  },
}
