import { fileAskName, pathFault, type FileAsk } from '../../files'
import { readingText, type MetricName, type Reading } from '../../series'
import { ageText, bytesText, durationText } from '../../text'
import { day, hour, minute, second, type Millis } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter, Values } from '../parameter'
import { sayer, sentence, type Say, type SentencePart } from '../sentence'
import { nextLows, type Lows } from './performance'

const isPath = { test: (text: string) => text.length <= 300 && pathFault(text) === null }
const age = { type: 'duration', default: null, optional: true, min: minute, max: 400 * day } as const
const size = { type: 'bytes', default: null, optional: true, min: 0, max: 1e17 } as const
const number = { type: 'count', optional: true, min: 0, max: 1e9 } as const

const parameters: readonly Parameter[] = [
  {
    name: 'path',
    type: 'text',
    label: 'Files',
    default: '',
    form: {
      is: isPath,
      says: 'a path from the root, such as /srv/in/*.csv or C:\\Export\\*.xml',
    },
    explains:
      'With their folder; each part of it may hold * and ?. The agent looks with its own rights: what those do not reach it says. Of folders below those that are named nothing counts.',
  },
  {
    ...number,
    name: 'least',
    label: 'At least',
    default: 1,
    explains: 'Told when fewer are there. 1: when there is none. Off: there need be none.',
  },
  {
    ...number,
    name: 'most',
    label: 'At most',
    default: null,
    explains: 'Told when more are there, as in a folder that somebody should empty. 0: when there is one.',
  },
  {
    ...age,
    name: 'old',
    label: 'Newest older than',
    explains: 'The newest of them was not modified for so long: a backup, an export, a log that should go on.',
  },
  {
    ...age,
    name: 'waiting',
    label: 'Oldest older than',
    explains: 'One of them has been there for so long: a queue that nobody takes from.',
  },
  {
    ...size,
    name: 'large',
    label: 'Larger than',
    explains: 'All together. 5 GB of one is common practice, no source.',
  },
  { ...size, name: 'small', label: 'Smaller than', explains: 'All together: a backup that is nearly empty is none.' },
  { ...size, name: 'growth', label: 'Grows by', explains: 'All together, within the time below.' },
  {
    name: 'growth.within',
    type: 'duration',
    label: 'Grows within',
    default: hour,
    min: 5 * minute,
    max: day,
    explains: 'For the growth alone; looked back over from each report.',
  },
  {
    name: 'words',
    type: 'text',
    label: 'Lines with',
    default: '',
    form: { is: /^\P{Cc}{0,200}$/u, says: 'at most 200 characters in one line' },
    explains:
      'With * and ?; somewhere in a line. The last MB of the twenty newest files is read, when they have changed. What is written as it goes on is better watched as a log.',
  },
  {
    ...number,
    name: 'lines',
    label: 'So many lines',
    default: null,
    explains: 'Told when more lines have these words. 0: when one has.',
  },
  {
    name: 'changed',
    type: 'duration',
    label: 'Changed within',
    default: null,
    optional: true,
    min: 10 * minute,
    max: 31 * day,
    explains:
      'What stands in the file changed, and is told for so long; a settings file that nobody should touch. For one file of up to 10 MB.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'Of whatever is asked of them.',
  },
  {
    name: 'trouble',
    type: 'choice',
    label: 'Cannot be looked at',
    choices: ['nothing', 'notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'What the agent may not see is neither there nor gone: nothing is watched then.',
  },
  {
    name: 'checks',
    type: 'count',
    label: 'Checks in a row',
    default: 2,
    min: 1,
    max: 100,
    explains: 'A file that is being replaced is gone for a moment.',
  },
]

/** What a watch asks of a device's agent, or null where it names no file. */
export function filesAsked(kind: string, values: Values): FileAsk | null {
  const path = kind === 'file' ? read.text(values, 'path').trim() : ''
  if (path === '' || pathFault(path)) return null
  const words = read.optional(values, 'lines') === null ? '' : read.text(values, 'words')
  return { path, words, ...(read.optional(values, 'changed') === null ? {} : { digest: true }) }
}

const clauses = (values: Values, say: Say): SentencePart[][] => {
  const on = (name: string) => read.optional(values, name) !== null
  const [least, most] = [read.optional(values, 'least'), read.optional(values, 'most')]
  const parts: SentencePart[][] = []
  if (least === 1) parts.push([say('least', 'there is none')])
  else if (least !== null) parts.push(sentence`there are fewer than ${say('least')}`)
  if (most === 0) parts.push([say('most', 'there is one')])
  else if (most !== null) parts.push(sentence`there are more than ${say('most')}`)
  if (on('old')) parts.push(sentence`the newest is older than ${say('old')}`)
  if (on('waiting')) parts.push(sentence`the oldest is older than ${say('waiting')}`)
  if (on('large')) parts.push(sentence`they are larger than ${say('large')}`)
  if (on('small')) parts.push(sentence`they are smaller than ${say('small')}`)
  if (on('growth')) parts.push(sentence`they grow by ${say('growth')} within ${say('growth.within')}`)
  if (on('lines')) parts.push(sentence`more than ${say('lines')} lines have ${say('words', words(values))}`)
  if (on('changed')) parts.push(sentence`what stands in it changed within ${say('changed')}`)
  return parts
}
const words = (values: Values) =>
  read.text(values, 'words') ? `“${read.text(values, 'words')}”` : 'words yet to be named'

interface Memo {
  /** Of their size, over the time that growth is looked back over. */
  lows?: Lows
  digest?: string
  changedAt?: Millis
}

/** What is wrong with what was seen, in words; the first that is. */
function wrongWith(values: Values, value: (metric: MetricName) => number | null, grown: number | null): string | null {
  const limit = (name: string) => read.optional(values, name)
  const count = value('file.count')!
  const [least, most] = [limit('least'), limit('most')]
  if (least !== null && count < least)
    return count === 0 ? 'is not there' : `: there are ${count}, and at least ${least} should`
  if (most !== null && count > most)
    return most === 0 ? 'is there' : `: there are ${readingText('count', count)}, more than ${most}`
  const ages = [
    ['file.newest', 'old', 'was not modified for'],
    ['file.oldest', 'waiting', 'has one that waits for'],
  ] as const
  for (const [metric, name, says] of ages) {
    const seconds = value(metric)
    const bound = limit(name)
    if (bound !== null && seconds !== null && seconds * second > bound) return `${says} ${lengthText(seconds * second)}`
  }
  const bytes = value('file.size')!
  const [large, small, growth, lines] = [limit('large'), limit('small'), limit('growth'), limit('lines')]
  if (large !== null && bytes > large) return `is ${bytesText(bytes)} large`
  if (small !== null && count > 0 && bytes < small) return `is ${bytesText(bytes)} small`
  if (growth !== null && grown !== null && grown > growth)
    return `grew by ${bytesText(grown)} within ${durationText(read.number(values, 'growth.within'))}`
  const found = value('file.lines')
  return lines !== null && found !== null && found > lines ? `has ${readingText('count', found)} such lines` : null
}

/** Of a day or two the hours count: a nightly job is late by some of them. */
const lengthText = (length: Millis) =>
  length >= day && length < 3 * day ? durationText(Math.floor(length / hour) * hour) : ageText(length)

const phrase = (name: string, says: string) => (says.startsWith(':') ? `${name}${says}` : `${name} ${says}`)

export const files: WatchKind = {
  name: 'file',
  title: 'Files and folders',
  subject: 'file',
  collector: 'files',
  metric: 'file.size',
  about: parameters.map(({ name }) => name).filter((name) => !['severity', 'trouble', 'checks'].includes(name)),
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const path = say('path', read.text(values, 'path') || 'files yet to be named')
    const trouble = read.severity(values, 'trouble') ? sentence`; when they cannot be looked at, ${say('trouble')}` : []
    const asked = clauses(values, say)
    if (!asked.length) return sentence`Of ${path}, nothing is asked.`
    const all = asked.flatMap((part, i) => (i ? [{ text: i === asked.length - 1 ? ' or ' : ', ' }, ...part] : part))
    return sentence`Of ${path}: when ${all}, in ${say('checks')} checks in a row, raise ${say('severity')}${trouble}; clear after as many good ones.`
  },
  hold: (values) => ({ checks: read.number(values, 'checks') }),
  clearHold: (values) => ({ checks: read.number(values, 'checks') }),
  counts: (values) => ['growth', 'changed'].some((name) => read.optional(values, name) !== null),
  observe(values, { at, readings, facts }, memo): Observation[] {
    const ask = filesAsked('file', values)
    if (!ask) return []
    const name = fileAskName(ask)
    const told = facts.files?.find((each) => each.name === name)
    const before = memo('') as Memo | undefined
    if (told?.trouble !== undefined) {
      const severity = read.severity(values, 'trouble')
      const text = `${name} cannot be looked at: ${told.trouble}`
      return [
        {
          instance: '',
          failing: severity ? [severity] : [],
          well: false,
          evidence: () => ({ subject: name, text }),
          ...(before ? { memo: before } : {}),
        },
      ]
    }
    const value = (metric: MetricName): number | null =>
      readings.find((reading: Reading) => reading[0] === metric && reading[1] === name)?.[2] ?? null
    if (value('file.count') === null) return []
    const next: Memo = {}
    const grown = growthIn(values, { at, value: value('file.size')! }, before, next)
    const changedAt = changeIn(values, at, told?.digest, before, next)
    const wrong = wrongWith(values, value, grown)
    const isChanged = changedAt !== null && at - changedAt < read.number(values, 'changed')
    const isFailing = wrong !== null || isChanged
    return [
      {
        instance: '',
        failing: isFailing ? [read.severity(values, 'severity')!] : [],
        well: !isFailing,
        evidence() {
          const says = wrong ?? (isChanged ? 'was changed' : 'is as it should be')
          return { subject: name, text: phrase(name, says), value: value('file.size')! }
        },
        ...(Object.keys(next).length ? { memo: next } : {}),
      },
    ]
  },
}

/** By how much the files grew within the time that is asked for, as far as it is known; null: it is not asked for. */
function growthIn(
  values: Values,
  look: { at: Millis; value: number },
  before: Memo | undefined,
  next: Memo,
): number | null {
  if (read.optional(values, 'growth') === null) return null
  next.lows = nextLows(before?.lows, look, read.number(values, 'growth.within'))
  return look.value - Math.min(...next.lows.map(([, low]) => low))
}

/** When what stands in the file changed last, as far as it was seen; null: never. */
function changeIn(
  values: Values,
  at: Millis,
  digest: string | undefined,
  before: Memo | undefined,
  next: Memo,
): Millis | null {
  if (read.optional(values, 'changed') === null) return null
  // One that is gone for a moment, and comes back as it was, has not changed.
  const known = digest ?? before?.digest
  if (known === undefined) return null
  next.digest = known
  const changedAt = before?.digest !== undefined && before.digest !== known ? at : before?.changedAt
  if (changedAt !== undefined) next.changedAt = changedAt
  return changedAt ?? null
}
