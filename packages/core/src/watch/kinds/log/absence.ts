import { matchesLogFilter } from '../../../eventlog'
import { ageText } from '../../../text'
import { day, hour, minute, type Millis } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { filterOf, filterParameters, filterPhrase, logName, logs } from './filter'

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
  entries: (values) => [filterOf(values)],
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
