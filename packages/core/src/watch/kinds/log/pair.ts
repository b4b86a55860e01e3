import { matchesLogFilter, type LogFilter } from '../../../eventlog'
import { day, minute, type Millis } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { filterOf, filterParameters, filterPhrase, logName, logs } from './filter'

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
  entries: (values) => [filterOf(values), endOf(values)].filter((filter) => filter !== null),
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
