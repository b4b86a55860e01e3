import { ageText, countText } from '../../text'
import { day, hour, minute, second, type Millis } from '../../units'
import { read, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const levels = ['warning', 'critical'] as const
const off = { type: 'duration', optional: true, min: second, max: 400 * day } as const
const clocks: readonly Parameter[] = [
  {
    ...off,
    name: 'warning',
    label: 'Warning above',
    default: minute,
    explains: 'Times in its log, and of files that it shares, no longer fit those of others. Chosen, no source.',
  },
  {
    ...off,
    name: 'critical',
    label: 'Critical above',
    default: 5 * minute,
    explains: 'Beyond five minutes Kerberos refuses to sign anybody in, as it is commonly set (RFC 4120, from memory).',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 10 * minute,
    max: day,
    explains: 'After a start it takes a while until a clock is set.',
  },
  {
    ...off,
    optional: false,
    name: 'clear',
    label: 'Clear below',
    default: 30 * second,
    explains: 'A little on the good side, so that the alert does not come and go.',
  },
]

/** A clock that is not that of the server. What it tells is put right by that, so nothing else is wrong for it. */
export const clockOff: WatchKind = {
  name: 'clock-off',
  title: 'Clock off',
  subject: 'agent',
  collector: null,
  about: [...levels, 'clear'],
  parameters: clocks,
  sentence(values) {
    const say = sayer(clocks, values)
    const set = levels.filter((level) => read.optional(values, level) !== null)
    const raise = set.flatMap((level, i) =>
      i === 0
        ? sentence`more than ${say(level)} off for ${say('hold')}, raise ${level}`
        : sentence`; more than ${say(level)}, ${level}`,
    )
    return sentence`When its clock is ${raise.length ? raise : 'off, nothing is asked'}; clear below ${say('clear')}.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { clockOffset }) {
    // Not told: nobody knows, as where nothing was heard.
    if (clockOffset === undefined) return []
    const off = Math.round(Math.abs(clockOffset) / second) * second
    const failing = levels.filter((level) => off > (read.optional(values, level) ?? Infinity))
    return [
      {
        instance: '',
        failing,
        well: failing.length === 0 && off <= read.number(values, 'clear'),
        evidence: () => ({
          text:
            off < second
              ? 'its clock is right'
              : `its clock is ${ageText(off)} ${clockOffset > 0 ? 'ahead' : 'behind'}`,
          value: Math.round(clockOffset / second),
        }),
      },
    ]
  },
}

const losses: readonly Parameter[] = [
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'What happened in that time nobody will know.',
  },
  {
    name: 'quiet',
    type: 'duration',
    label: 'Clear after',
    default: day,
    min: hour,
    max: 31 * day,
    explains: 'So long no report may be lost any more.',
  },
]

interface Lost {
  at: Millis
  count: number
}

/** Reports that an agent could not keep until they were sent: its disk was full, or it was away for too long. */
export const reportsLost: WatchKind = {
  name: 'reports-lost',
  title: 'Reports lost',
  subject: 'agent',
  collector: null,
  about: [],
  parameters: losses,
  sentence(values) {
    const say = sayer(losses, values)
    return sentence`When reports of its agent are lost for good, raise ${say('severity')}; clear when none was for ${say('quiet')}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, lost = 0 }, memo) {
    const before = memo('') as Lost | undefined
    const now = lost > 0 ? { at, count: (before?.count ?? 0) + lost } : before
    const isRecent = now !== undefined && at - now.at < read.number(values, 'quiet')
    return [
      {
        instance: '',
        failing: isRecent ? [read.severity(values, 'severity')!] : [],
        well: !isRecent,
        evidence: () => ({
          text: isRecent
            ? `${countText(now.count, 'report')} of its agent were lost for good`
            : 'no report is lost any more',
          ...(now ? { value: now.count } : {}),
        }),
        ...(isRecent ? { memo: now } : {}),
      },
    ]
  },
}
