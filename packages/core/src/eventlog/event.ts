import { matchesPattern } from '../text'
import type { Millis } from '../units'
import { logLevelCode, type LogLevel } from './levels'

/** One entry of an event log or syslog. */
export interface LogEvent {
  at: Millis
  channel: string
  source: string
  /** Event identifier, where the log has one. */
  id: number | null
  level: LogLevel
  text: string
  /** What its log keeps beside the text, by the log's own names. */
  fields?: Readonly<Record<string, string>>
  /** It stood there before its agent first read this log: kept to be read, and no news to any watch. */
  old?: true
}

/** Which entries are meant. Empty strings and null leave a field open; text is matched as a pattern. */
export interface LogFilter {
  channel: string
  source: string
  id: number | null
  /** This level or a more urgent one. */
  level: LogLevel | ''
  text: string
}

export function matchesLogFilter(filter: LogFilter, event: LogEvent): boolean {
  return (
    (filter.channel === '' || matchesPattern(filter.channel, event.channel)) &&
    (filter.source === '' || matchesPattern(filter.source, event.source)) &&
    (filter.id === null || filter.id === event.id) &&
    (filter.level === '' || logLevelCode(event.level) <= logLevelCode(filter.level)) &&
    (filter.text === '' || matchesPattern(`*${filter.text}*`, event.text))
  )
}
