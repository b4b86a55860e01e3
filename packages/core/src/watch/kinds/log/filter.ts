import { logLevels, type LogFilter, type LogLevel } from '../../../eventlog'
import { read, type Choosing } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sentence, type Say, type SentencePart } from '../../sentence'

/** Which entries are meant, and how urgent they are. */
export const filterParameters: readonly Parameter[] = [
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

/** Logs to choose from. */
export const logs: Choosing = {
  include: 'channel',
  of: (facts) =>
    (facts.logs ?? []).map(({ name, collected }) => ({
      name,
      title: collected ? 'read already' : 'read from now on when it is chosen',
    })),
}

export function filterOf(values: Values): LogFilter {
  return {
    channel: read.text(values, 'channel'),
    source: read.text(values, 'source'),
    id: read.optional(values, 'id'),
    level: read.text(values, 'level') as LogLevel | '',
    text: read.text(values, 'text'),
  }
}

export function filterPhrase(values: Values, say: Say): SentencePart[] {
  const level = read.text(values, 'level')
  const id = read.optional(values, 'id') === null ? [] : sentence` with id ${say('id')}`
  const text = read.text(values, 'text') === '' ? [] : sentence` saying “${say('text')}”`
  return sentence`${say('level', level ? `${level} or worse` : 'an entry')} from ${say('source', read.text(values, 'source') || 'any source')}${id}${text}`
}

export const logName = (values: Values, say: Say) =>
  say('channel', read.text(values, 'channel') ? `the ${read.text(values, 'channel')} log` : 'any log')
