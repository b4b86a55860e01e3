import { ageText, chosen, countText } from '../../../text'
import { day, hour, minute } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { gauge } from '../performance/gauge'

const common = { subject: 'session', collector: 'sessions', bad: 'above' } as const

const sessionCount = gauge({
  ...common,
  name: 'session-count',
  title: 'Sessions',
  metric: 'sessions.count',
  words: 'the number of sessions',
  type: 'number',
  levels: { warning: 20 },
  clear: 18,
  hold: 10 * minute,
  explains:
    'Of people, on its console, by terminal or with a desktop. How many a machine carries is its own: 20 is chosen, no source.',
})

const sessionLatency = gauge({
  ...common,
  name: 'session-latency',
  title: 'Slow sessions',
  metric: 'sessions.latency',
  words: 'the way of the slowest session and back, in ms,',
  type: 'number',
  levels: { warning: 150, critical: 300 },
  clear: 100,
  hold: 10 * minute,
  explains:
    'What is typed shows that much later, before the machine itself has done anything. 150 and 300 ms are chosen, no source.',
})

const longParameters: readonly Parameter[] = [
  {
    name: 'users',
    type: 'patterns',
    label: 'Users',
    default: ['*'],
    explains: 'As the system calls them, with * for any run of characters.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Users left out',
    default: [],
    adds: true,
    explains: 'These stay out even when the first list names them.',
  },
  {
    name: 'after',
    type: 'duration',
    label: 'Longer than',
    default: 12 * hour,
    min: minute,
    max: 365 * day,
    explains: 'Whoever is signed in longer has most likely forgotten it. A working day: common practice, no source.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'notice',
    explains: 'A session that stands open is another way in, and keeps what it runs from being updated.',
  },
]

const sessionLong: WatchKind = {
  name: 'session-long',
  title: 'Signed in for long',
  subject: 'session',
  collector: 'sessions',
  about: [],
  choosing: {
    include: 'users',
    except: 'except',
    of: ({ sessions }) =>
      [...new Set((sessions?.list ?? []).map(({ user }) => user))].map((name) => ({ name, title: '' })),
  },
  parameters: longParameters,
  sentence(values) {
    const say = sayer(longParameters, values)
    const names = read.list(values, 'users')
    const isEvery = names.length === 1 && names[0] === '*'
    const who = isEvery ? sentence`${say('users', 'somebody')}` : sentence`one of ${say('users')}`
    const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
    return sentence`When ${who}${except} is signed in for longer than ${say('after')}, raise ${say('severity')}; clear when they are signed off.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  gone(values, { facts: { sessions } }, user) {
    if (!chosen(read.list(values, 'users'), read.list(values, 'except'), user)) return true
    return sessions !== undefined && !sessions.list.some((session) => session.user === user)
  },
  observe(values, { at, facts: { sessions } }) {
    const wanted = (sessions?.list ?? []).filter(({ user }) =>
      chosen(read.list(values, 'users'), read.list(values, 'except'), user),
    )
    return [...new Set(wanted.map(({ user }) => user))].map((user) => {
      const own = wanted.filter((session) => session.user === user)
      const first = own.reduce((oldest, session) => (session.since < oldest.since ? session : oldest))
      const length = Math.max(0, at - first.since)
      const isLong = length > read.number(values, 'after')
      return {
        instance: user,
        failing: isLong ? [read.severity(values, 'severity')!] : [],
        well: !isLong,
        evidence: () => ({
          subject: user,
          text: `${user} has been signed in for ${ageText(length)}${first.from ? ` from ${first.from}` : ''}${own.length > 1 ? `, in ${countText(own.length, 'session')}` : ''}`,
          value: length,
        }),
        ...(isLong ? { since: first.since + read.number(values, 'after') } : {}),
      }
    })
  },
}

const closedParameters: readonly Parameter[] = [
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'Nobody new gets in; of several hosts the others carry its share.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 2 * hour,
    max: 30 * day,
    explains:
      'Somebody empties it for work on it. Longer than such work takes it was forgotten: common practice, no source.',
  },
]

const signInsClosed: WatchKind = {
  name: 'sign-ins-closed',
  title: 'Takes no new sign-ins',
  subject: 'session',
  collector: 'sessions',
  about: [],
  parameters: closedParameters,
  sentence(values) {
    const say = sayer(closedParameters, values)
    return sentence`When nobody new may sign in for ${say('hold')}, raise ${say('severity')}; clear when they may.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { facts: { sessions } }) {
    if (!sessions || sessions.closedBy === undefined) return []
    const { closedBy } = sessions
    return [
      {
        instance: '',
        failing: closedBy === null ? [] : [read.severity(values, 'severity')!],
        well: closedBy === null,
        evidence: () => ({
          text: closedBy === null ? 'people may sign in' : `nobody new may sign in: ${closedBy}`,
        }),
      },
    ]
  },
}

/** Who is signed in, how well that goes, and whether more may come. */
export const sessionWatches: readonly WatchKind[] = [sessionCount, sessionLatency, sessionLong, signInsClosed]
