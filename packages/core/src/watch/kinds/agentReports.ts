import { byVersion } from '../../rollout/updates/version'
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

const versions: readonly Parameter[] = [
  {
    name: 'after',
    type: 'duration',
    label: 'Behind for',
    default: 14 * day,
    max: 400 * day,
    explains:
      'A new version goes out in parts, and a machine that is away for a week is no trouble. Chosen, no source.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'notice',
    explains: 'What newer agents read or mend it does not. Updates go out from Rollout.',
  },
]

interface Behind {
  since: Millis
}

/** An agent that is older than the one that new machines get (semver.org, rule 11). */
export const agentBehind: WatchKind = {
  name: 'agent-behind',
  title: 'Agent behind',
  subject: 'agent',
  collector: null,
  about: [],
  parameters: versions,
  sentence(values) {
    const say = sayer(versions, values)
    return sentence`When its agent has been older than the one that new machines get for ${say('after')}, raise ${say('severity')}; clear once it is not.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, facts, offered }, memo) {
    const version = facts.system?.agentVersion
    if (version === undefined || offered === undefined) return []
    const isBehind = byVersion(version, offered) < 0
    const since = (memo('') as Behind | undefined)?.since ?? at
    const isLong = isBehind && at - since >= read.number(values, 'after')
    return [
      {
        instance: '',
        failing: isLong ? [read.severity(values, 'severity')!] : [],
        well: !isBehind,
        evidence: () => ({
          text: isBehind
            ? `its agent is ${version}, and ${offered} has been there for ${ageText(at - since)}`
            : `its agent is ${version}, as those of new machines`,
        }),
        ...(isLong ? { since } : {}),
        // The same until it ends, so that nothing is written with each report.
        ...(isBehind ? { memo: { since } satisfies Behind } : {}),
      },
    ]
  },
}
