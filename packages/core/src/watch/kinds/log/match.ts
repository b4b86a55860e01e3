import { matchesLogFilter } from '../../../eventlog'
import { durationText } from '../../../text'
import { day, hour, minute, type Millis } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { filterOf, filterParameters, filterPhrase, logName, logs } from './filter'

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
  entries: (values) => [filterOf(values)],
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
