import { logLevels, type LogFloor } from '../../../eventlog'
import { read, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { logName, logs } from './filter'

const keptParameters: readonly Parameter[] = [
  {
    name: 'channel',
    type: 'text',
    label: 'Log',
    default: '',
    explains: 'The log that it is about, with * for any run of characters; empty for any.',
  },
  {
    name: 'level',
    type: 'choice',
    label: 'Level',
    choices: [...logLevels, 'none'],
    default: 'debug',
    explains:
      'Entries of this level or a more urgent one are kept (RFC 5424); none: only what a watch looks for. Of several lines about one log, the least urgent level counts.',
  },
]

export function floorOf(values: Values): LogFloor {
  return { channel: read.text(values, 'channel'), level: read.text(values, 'level') as LogFloor['level'] }
}

/** Which entries agents send at all. It tells nobody of anything. */
export const logKept: WatchKind = {
  name: 'log-kept',
  title: 'Log entries kept',
  // Not one of those that look at logs: it does not watch them.
  subject: 'agent',
  collector: 'eventlog',
  isSetting: true,
  choosing: logs,
  about: [],
  parameters: keptParameters,
  sentence(values) {
    const say = sayer(keptParameters, values)
    const level = read.text(values, 'level')
    if (level === 'debug') return sentence`Of ${logName(values, say)}, keep ${say('level', 'every entry')}.`
    if (level === 'none')
      return sentence`Of ${logName(values, say)}, keep ${say('level', 'only what a watch looks for')}.`
    return sentence`Of ${logName(values, say)}, keep entries at ${say('level', level === 'emergency' ? level : `${level} or worse`)}, and whatever a watch looks for.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe: () => [],
}
