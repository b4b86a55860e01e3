import { matchesPattern } from '../text'
import { matchesLogFilter, type LogEvent, type LogFilter } from './event'
import { logLevelCode, type LogLevel } from './levels'

/** From which level on entries of a log are kept; `none`: only what is looked for. */
export interface LogFloor {
  /** Pattern of names; empty: any log. */
  channel: string
  level: LogLevel | 'none'
}

/** Which log entries of a device are kept. */
export interface LogKeeping {
  /** Of a log that several speak of, the least urgent level counts; of one that none speaks of, all is kept. */
  floors: LogFloor[]
  /** What watches look for, which is kept whatever its level. */
  watched: LogFilter[]
}

type Said = Pick<LogEvent, 'channel' | 'level'>

const speaksOf = ({ channel }: LogFloor, event: Said) => channel === '' || matchesPattern(channel, event.channel)

/** By its log and its level alone. */
export function isWithinFloors(floors: readonly LogFloor[], event: Said): boolean {
  let isSpokenOf = false
  for (const floor of floors) {
    if (!speaksOf(floor, event)) continue
    isSpokenOf = true
    if (floor.level !== 'none' && logLevelCode(event.level) <= logLevelCode(floor.level)) return true
  }
  return !isSpokenOf
}

/** Whether an entry is kept. null: everything is. */
export function isKept(keeping: LogKeeping | null, event: LogEvent): boolean {
  return (
    keeping === null ||
    isWithinFloors(keeping.floors, event) ||
    keeping.watched.some((filter) => matchesLogFilter(filter, event))
  )
}
