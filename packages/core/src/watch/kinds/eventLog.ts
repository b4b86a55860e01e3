import { logLevels, matchesLogFilter, type LogFilter, type LogLevel } from '../../eventlog'
import { ageText, durationText } from '../../text'
import { day, hour, minute, type Millis } from '../../units'
import { read, type Choosing, type WatchKind } from '../kind'
import type { Parameter, Values } from '../parameter'
import { sayer, sentence, type Say, type SentencePart } from '../sentence'

const filterParameters: readonly Parameter[] = [
  {
    name: 'channel',
    type: 'text',
    label: 'Log',
    default: '',
    explains: 'The log it stands in, with * for any run of characters; empty for any.',
  },
  { name: 'source', type: 'text', label: 'Source', default: '', explains: 'The program that wrote it; empty for any.' },
  {
    name: 'id',
    type: 'count',
    label: 'Event id',
    default: null,
    min: 0,
    max: 4_294_967_295,
    optional: true,
    explains: 'Where the log numbers its events.',
  },
  {
    name: 'level',
    type: 'choice',
    label: 'Level',
    choices: ['', ...logLevels],
    default: '',
    explains: 'This level or a more urgent one (RFC 5424); empty for any.',
  },
  {
    name: 'text',
    type: 'text',
    label: 'Text',
    default: '',
    explains: 'Words in the entry, with * for any run of characters.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'How urgent it is for a person.',
  },
]

const logs: Choosing = {
  include: 'channel',
  of: (facts) =>
    (facts.logs ?? []).map(({ name, collected }) => ({
      name,
      title: collected ? 'read already' : 'read from now on when it is chosen',
    })),
}

function filterOf(values: Values): LogFilter {
  return {
    channel: read.text(values, 'channel'),
    source: read.text(values, 'source'),
    id: read.optional(values, 'id'),
    level: read.text(values, 'level') as LogLevel | '',
    text: read.text(values, 'text'),
  }
}

function filterPhrase(values: Values, say: Say): SentencePart[] {
  const level = read.text(values, 'level')
  const id = read.optional(values, 'id') === null ? [] : sentence` with id ${say('id')}`
  const text = read.text(values, 'text') === '' ? [] : sentence` saying “${say('text')}”`
  return sentence`${say('level', level ? `${level} or worse` : 'an entry')} from ${say('source', read.text(values, 'source') || 'any source')}${id}${text}`
}

const logName = (values: Values, say: Say) =>
  say('channel', read.text(values, 'channel') ? `the ${read.text(values, 'channel')} log` : 'any log')

const matchParameters: readonly Parameter[] = [
  ...filterParameters,
  {
    name: 'count',
    type: 'count',
    label: 'Times',
    default: 1,
    min: 1,
    max: 1000,
    explains: 'So many within the time make a problem.',
  },
  {
    name: 'within',
    type: 'duration',
    label: 'Within',
    default: 10 * minute,
    min: 1000,
    max: 7 * day,
    explains: 'The sliding time in which they are counted.',
  },
  {
    name: 'quiet',
    type: 'duration',
    label: 'Quiet for',
    default: hour,
    min: 1000,
    max: 7 * day,
    explains: 'Without another match for so long, it is over.',
  },
]

interface Matches {
  times: Millis[]
  since: Millis | null
  text: string
}

/** Entries that match, counted in a sliding time by the entries' own times. */
export const logMatch: WatchKind = {
  name: 'log-match',
  title: 'Log entry seen',
  subject: 'eventlog',
  collector: 'eventlog',
  choosing: logs,
  about: ['channel', 'source', 'id', 'level', 'text'],
  remembersAlways: true,
  parameters: matchParameters,
  sentence(values) {
    const say = sayer(matchParameters, values)
    const count = read.number(values, 'count')
    const times =
      count === 1
        ? sentence`${say('count', 'once')}`
        : sentence`${say('count', `${count} times`)} within ${say('within')}`
    return sentence`In ${logName(values, say)}, when ${filterPhrase(values, say)} appears ${times}, raise ${say('severity')}; clear after ${say('quiet')} with no new entry.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, events }, memo) {
    const filter = filterOf(values)
    const count = read.number(values, 'count')
    const within = read.number(values, 'within')
    const quiet = read.number(values, 'quiet')
    const before = (memo('') as Matches | undefined) ?? { times: [], since: null, text: '' }
    let { since, text } = before
    let times = before.times
    let reached = false
    for (const event of [...events].sort((a, b) => a.at - b.at)) {
      if (!matchesLogFilter(filter, event)) continue
      times = [...times.filter((time) => event.at - time < within), event.at].slice(-count)
      text = event.text
      if (times.length >= count) {
        reached = true
        since = times[0]!
      }
    }
    const last = times[times.length - 1] ?? null
    const well = last === null || at - last >= quiet
    const kept: Matches = {
      times: well && !reached ? [] : times,
      since: well && !reached ? null : since,
      text: well && !reached ? '' : text,
    }
    return [
      {
        instance: '',
        failing: reached ? [read.severity(values, 'severity')!] : [],
        well: well && !reached,
        evidence: () => ({
          text: count === 1 ? text : `${times.length} times within ${durationText(within)}: ${text}`,
          value: times.length,
        }),
        ...(reached && since !== null ? { since } : {}),
        ...(kept.times.length ? { memo: kept } : {}),
      },
    ]
  },
}

const absenceParameters: readonly Parameter[] = [
  ...filterParameters,
  {
    name: 'period',
    type: 'duration',
    label: 'Period',
    default: day + 2 * hour,
    min: minute,
    max: 31 * day,
    explains: 'Counted from the last match, or from the beginning of the watch.',
  },
]

interface Absence {
  last: Millis | null
  began: Millis
}

/** Nothing that matches within the period since the last match, or since the watch began. */
export const logAbsence: WatchKind = {
  name: 'log-absence',
  title: 'Log entry missing',
  subject: 'eventlog',
  collector: 'eventlog',
  choosing: logs,
  about: ['channel', 'source', 'id', 'level', 'text'],
  remembersAlways: true,
  parameters: absenceParameters,
  sentence(values) {
    const say = sayer(absenceParameters, values)
    return sentence`In ${logName(values, say)}, when ${filterPhrase(values, say)} has not appeared for ${say('period')}, raise ${say('severity')}; clear when it does.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, events }, memo) {
    const filter = filterOf(values)
    const kept = { ...((memo('') as Absence | undefined) ?? { last: null, began: at }) }
    for (const event of events)
      if (matchesLogFilter(filter, event)) kept.last = Math.max(kept.last ?? event.at, event.at)
    const from = kept.last ?? kept.began
    const period = read.number(values, 'period')
    const missing = at - from >= period
    const what = read.text(values, 'text') || read.text(values, 'source') || 'the entry'
    return [
      {
        instance: '',
        failing: missing ? [read.severity(values, 'severity')!] : [],
        well: !missing,
        evidence: () => ({
          text:
            kept.last === null
              ? `“${what}” has not been seen for ${ageText(at - from)}, since the watch began`
              : `“${what}” was last seen ${ageText(at - from)} ago`,
          value: at - from,
        }),
        ...(missing ? { since: from + period } : {}),
        memo: kept,
      },
    ]
  },
}

const pairParameters: readonly Parameter[] = [
  ...filterParameters,
  {
    name: 'until.source',
    type: 'text',
    label: 'Ended by source',
    default: '',
    explains: 'The program that writes the entry that ends it; empty for the same.',
  },
  {
    name: 'until.id',
    type: 'count',
    label: 'Ended by event id',
    default: null,
    min: 0,
    max: 4_294_967_295,
    optional: true,
    explains: 'Of the entry that ends it, where the log numbers its events.',
  },
  {
    name: 'until.text',
    type: 'text',
    label: 'Ended by text',
    default: '',
    explains:
      'Words in the entry that ends it. Where both texts have one *, what it stands for must be the same: “link * down” is ended by “link * up” of that link alone.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 0,
    min: 0,
    max: 7 * day,
    explains: 'What ends within it is not told.',
  },
  {
    name: 'forget',
    type: 'duration',
    label: 'Forget after',
    default: null,
    min: minute,
    max: 31 * day,
    optional: true,
    explains: 'It ends by itself after so long, where the other entry may get lost. Off: only that entry ends it.',
  },
]

/** What has begun and not ended, by the thing that it is about; an empty name where the texts tell none apart. */
interface Begun {
  open: Record<string, { since: Millis; text: string }>
}
/** More things at once than anybody looks at one by one; what comes beyond them is not taken up. */
const mostOpen = 100

/**
 * What the only * of a text stands for in an entry. Case is ignored, as the patterns do.
 * @returns null where there is not just one
 */
function thingIn(pattern: string, text: string): string | null {
  const [before, after, ...more] = pattern.toLowerCase().split('*')
  if (after === undefined || more.length || pattern.includes('?')) return null
  const entry = text.toLowerCase()
  const from = entry.indexOf(before!) + before!.length
  const to = after === '' ? entry.slice(from).search(/\s|$/) + from : entry.indexOf(after, from)
  return to < from ? null : entry.slice(from, to).trim().slice(0, 200)
}

/** The entry that ends it; null: none is named, and nothing does. */
function endOf(values: Values): LogFilter | null {
  const id = read.optional(values, 'until.id')
  const text = read.text(values, 'until.text')
  if (id === null && text === '') return null
  const source = read.text(values, 'until.source') || read.text(values, 'source')
  return { channel: read.text(values, 'channel'), source, id, level: '', text }
}

/** Begun by one entry and ended by another. */
export const logPair: WatchKind = {
  name: 'log-pair',
  title: 'Log entry until another',
  subject: 'eventlog',
  collector: 'eventlog',
  choosing: logs,
  about: ['channel', 'source', 'id', 'level', 'text', 'until.source', 'until.id', 'until.text'],
  remembersAlways: true,
  parameters: pairParameters,
  sentence(values) {
    const say = sayer(pairParameters, values)
    const set = (name: string) => values[name] !== null && values[name] !== ''
    const source = set('until.source') ? sentence` from ${say('until.source')}` : []
    const id = set('until.id') ? sentence` with id ${say('until.id')}` : []
    const text = set('until.text') ? sentence` saying “${say('until.text')}”` : []
    const other = endOf(values) ? sentence`an entry${source}${id}${text}` : sentence`an entry that nobody has named yet`
    const held = values.hold === 0 ? [] : sentence` and is not ended for ${say('hold')}`
    const forget = set('forget') ? sentence`, or after ${say('forget')}` : []
    return sentence`In ${logName(values, say)}, when ${filterPhrase(values, say)} appears${held}, raise ${say('severity')}; clear with ${other}${forget}.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, events }, memo) {
    const [begin, end] = [filterOf(values), endOf(values)]
    const named = end !== null && [begin.text, end.text].every((text) => text.split('*').length === 2)
    const thing = (pattern: string, text: string) => (named ? (thingIn(pattern, text) ?? '') : '')
    const open = new Map(Object.entries((memo('') as Begun | undefined)?.open ?? {}))
    for (const event of [...events].sort((a, b) => a.at - b.at)) {
      // One that both may mean ends it: else nothing ever would.
      if (end && matchesLogFilter(end, event)) open.delete(thing(end.text, event.text))
      else if (matchesLogFilter(begin, event)) {
        const name = thing(begin.text, event.text)
        if (!open.has(name) && open.size < mostOpen) open.set(name, { since: event.at, text: event.text })
      }
    }
    const forget = read.optional(values, 'forget')
    for (const [name, { since }] of open) if (forget !== null && at - since >= forget) open.delete(name)
    const begun = [...open.values()].sort((a, b) => a.since - b.since)
    const [first] = begun
    return [
      {
        instance: '',
        failing: first ? [read.severity(values, 'severity')!] : [],
        well: !first,
        evidence: () => ({
          text: first ? `${first.text}${begun.length > 1 ? ` (and ${begun.length - 1} more)` : ''}` : 'nothing is open',
          value: begun.length,
        }),
        ...(first ? { since: first.since, memo: { open: Object.fromEntries(open) } satisfies Begun } : {}),
      },
    ]
  },
}
