import type { OutdatedProgram, Updates } from '../../estate'
import { ageText, countText } from '../../text'
import { day, type Millis } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter, Values } from '../parameter'
import { sayer, sentence } from '../sentence'

const levels = ['notice', 'warning', 'critical', 'nothing'] as const
const wait = { type: 'duration', min: 0, max: 365 * day } as const

/** One thing that is looked at, with a severity and a patience of its own. */
interface Part {
  name: string
  label: string
  severity: (typeof levels)[number]
  explains: string
  after: { label: string; default: Millis; explains: string }
  /** How the sentence begins it; the patience follows where there is one. */
  says: string
  waits: string
}

const oldestMay = 'How long the oldest may wait before it counts.'
const parts: readonly Part[] = [
  {
    name: 'security',
    label: 'Security updates',
    severity: 'critical',
    explains: 'Critical is common practice, no source.',
    after: { label: 'Security updates after', default: 0, explains: oldestMay },
    says: 'security updates',
    waits: 'wait for more than',
  },
  {
    name: 'other',
    label: 'Other updates',
    severity: 'warning',
    explains: 'Warning is common practice, no source.',
    after: { label: 'Other updates after', default: 0, explains: oldestMay },
    says: 'other updates',
    waits: 'for more than',
  },
  {
    name: 'held',
    label: 'Updates held back',
    severity: 'nothing',
    explains: 'Put on hold by somebody, or kept back by the package manager: they do not come with the others.',
    after: { label: 'Updates held back after', default: 30 * day, explains: oldestMay },
    says: 'updates that are held back',
    waits: 'for more than',
  },
  {
    name: 'leftover',
    label: 'Leftovers',
    severity: 'nothing',
    explains: 'Packages that nothing needs any more; silent unless asked for.',
    after: { label: 'Leftovers after', default: 0, explains: 'How long the oldest may stay before it counts.' },
    says: 'leftovers',
    waits: 'for more than',
  },
  {
    name: 'lists',
    label: 'Old package lists',
    severity: 'nothing',
    explains: 'From old lists nobody learns of new updates.',
    after: {
      label: 'Lists are old after',
      default: 7 * day,
      explains: 'They are fetched every day; a week without is a fault.',
    },
    says: 'package lists',
    waits: 'older than',
  },
  {
    name: 'refresh',
    label: 'Lists cannot be fetched',
    severity: 'nothing',
    explains:
      'One source that fails is enough: of its updates nobody learns. Old lists are then not told a second time.',
    after: {
      label: 'They fail for',
      default: 2 * day,
      explains: 'Tried once an hour while it fails: an archive that is being renewed is back by then.',
    },
    says: 'package lists that cannot be fetched',
    waits: 'for more than',
  },
  {
    name: 'restart',
    label: 'Restart pending',
    severity: 'nothing',
    explains: 'An update is installed but takes effect only after a restart.',
    after: { label: 'Restart pending for', default: 0, explains: 'How long it may wait for an hour that suits.' },
    says: 'a pending restart',
    waits: 'for more than',
  },
  {
    name: 'outdated',
    label: 'Replaced files in use',
    severity: 'nothing',
    explains:
      'A program goes on with the library that it started with: what an update mended stays open until it is restarted.',
    after: { label: 'Replaced files in use for', default: day, explains: 'A restart may wait for an hour that suits.' },
    says: 'services that run files that were replaced',
    waits: 'for more than',
  },
]

const afterOf = (name: string) => `${name}.after`
const parameters: readonly Parameter[] = parts.flatMap(({ name, label, severity, explains, after }): Parameter[] => [
  { name, type: 'choice', label, choices: levels, default: severity, explains },
  { ...wait, name: afterOf(name), ...after },
])

/** What is the case of one part: how much of it, and since when. */
interface Found {
  count: number
  /** Not known: null. */
  since: Millis | null
  value: number
  /** Its sentence, in two halves: what it is about, and the rest. Nearly always nobody reads it. */
  words(): [subject: string, rest: string]
}

const oldestText = (since: Millis | null, at: Millis) =>
  since === null ? '' : `, the oldest for ${ageText(at - since)}`

function waiting(count: number, kind: string, rest: string, oldest: Millis | null | undefined, at: Millis): Found {
  const since = oldest ?? null
  return { count, since, value: count, words: () => [`${count} ${kind}`, `${rest}${oldestText(since, at)}`] }
}

function listsOf({ listsAt, refresh }: Updates, at: Millis, isToldAsRefresh: boolean): Found | null {
  if (listsAt === undefined) return null
  return {
    count: isToldAsRefresh && refresh ? 0 : 1,
    since: listsAt ?? -Infinity,
    value: listsAt === null ? 0 : at - listsAt,
    words: () => ['package lists', listsAt === null ? 'were never fetched' : `are from ${ageText(at - listsAt)} ago`],
  }
}

function refreshOf({ refresh }: Updates, at: Millis): Found | null {
  if (refresh === undefined) return null
  const rest = refresh ? `could not be fetched for ${ageText(at - refresh.since)}: ${refresh.reason}` : 'are fetched'
  return {
    count: refresh ? 1 : 0,
    since: refresh?.since ?? null,
    value: refresh ? at - refresh.since : 0,
    words: () => ['package lists', rest],
  }
}

function restartOf({ restartPending, restartSince }: Updates, at: Millis): Found {
  return {
    count: Number(restartPending),
    // Since when older agents do not tell: then it counts at once.
    since: restartSince ?? -Infinity,
    value: Number(restartPending),
    words: () => ['a restart', `is pending${restartSince ? ` for ${ageText(at - restartSince)}` : ''}`],
  }
}

function outdatedOf(programs: readonly OutdatedProgram[] | undefined, at: Millis): Found | null {
  if (!programs) return null
  const services = programs.filter(({ service }) => service)
  const since = services.length ? Math.min(...services.map((program) => program.since)) : null
  return {
    count: services.length,
    since,
    value: services.length,
    words() {
      const told = services.slice(0, 5).map(({ name }) => name)
      const more = services.length > told.length ? ` and ${services.length - told.length} more` : ''
      const rest = `still on files that were replaced: ${told.join(', ')}${more}${oldestText(since, at)}`
      return [countText(services.length, 'service'), rest]
    },
  }
}

/** Each part that is known, by the facts; what no agent told is none of them. */
function foundOf(found: Updates, at: Millis, values: Values): (readonly [name: string, found: Found])[] {
  const { security, other, leftover, held, heldSecurity = 0 } = found
  const heldRest = `held back, ${heldSecurity} of them for security`
  const parts: (readonly [string, Found | null])[] = [
    ['security', waiting(security, 'security updates', 'waiting', found.oldestSecurityAt, at)],
    ['other', waiting(other, 'other updates', 'waiting', found.oldestOtherAt, at)],
    ['held', held === undefined ? null : waiting(held, 'updates', heldRest, found.oldestHeldAt, at)],
    ['leftover', waiting(leftover, 'packages', 'that nothing needs', found.oldestLeftoverAt, at)],
    ['lists', listsOf(found, at, read.severity(values, 'refresh') !== null)],
    ['refresh', refreshOf(found, at)],
    ['restart', restartOf(found, at)],
    ['outdated', outdatedOf(found.outdated, at)],
  ]
  return parts.filter((part): part is readonly [string, Found] => part[1] !== null)
}

/** Without package lists nobody knows of updates: none are told, and that is not “none”. */
const needLists = new Set(['security', 'other', 'held', 'leftover'])

export const updates: WatchKind = {
  name: 'updates',
  title: 'Waiting updates',
  subject: 'update',
  collector: 'updates',
  about: [],
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const asked = parts.filter(({ name }) => name === 'security' || name === 'other' || values[name] !== 'nothing')
    const told = asked.flatMap(({ name, says, waits }, i) => {
      const isAlways = name === 'security' || name === 'other'
      const start = `${i ? '; ' : 'When '}${isAlways ? '' : 'for '}${says}`
      const patience = isAlways || values[afterOf(name)] !== 0 ? sentence` ${waits} ${say(afterOf(name))}` : []
      return sentence`${start}${patience}, raise ${say(name)}`
    })
    return sentence`${told}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, facts }) {
    if (!facts.updates) return []
    const isKnown = facts.updates.listsAt !== null
    return foundOf(facts.updates, at, values).map(([name, { count, since, value, words }]): Observation => {
      const severity = read.severity(values, name)
      const isOverdue = count > 0 && at - (since ?? at) >= read.number(values, afterOf(name))
      return {
        instance: name,
        failing: isOverdue && severity ? [severity] : [],
        well: !(isOverdue && severity) && (isKnown || !needLists.has(name)),
        evidence() {
          const [subject, rest] = words()
          return { text: `${subject} ${rest}`, subject, value }
        },
      }
    })
  },
}
