import type { Millis } from '../units'
import { instantOf, localOf, nextClockChange, nextStarts, startsBetween, type Recurrence } from './recurrence'

export {
  aligned,
  compact,
  instantOf,
  localOf,
  nextClockChange,
  nextStarts,
  RecurrenceError,
  recurrenceFault,
  recurrenceFaults,
  startsBetween,
  withUntilInUtc,
  type ClockChange,
  type LocalTime,
  type Recurrence,
  type RecurrenceFault,
} from './recurrence'

/** One occurrence at another time than the rule says: RECURRENCE-ID, RFC 5545, section 3.8.4.4. */
export interface ChangedOccurrence {
  /** When the rule would have begun it: its name for good. */
  start: Millis
  from: Millis
  until: Millis | null
}

/** When a window holds. Its length is elapsed time, also over a change of the clocks. */
export interface Schedule extends Recurrence {
  /** null: until somebody ends it; only of one that comes once. */
  length: Millis | null
  changed: readonly ChangedOccurrence[]
}

/** One time that a window holds: from its beginning (included) to its end (not included). */
export type Occurrence = ChangedOccurrence

/** Occurrences whose start by the rule, or as changed, lies in a span, in the order in which they begin. */
export function occurrencesBetween(schedule: Schedule, from: Millis, before: Millis, most: number): Occurrence[] {
  const changed = new Map(schedule.changed.map((occurrence) => [occurrence.start, occurrence]))
  const except = new Set(schedule.except)
  const plain = startsBetween(schedule, from, before, most + changed.size)
    .filter((start) => !changed.has(start))
    .map((start) => occurrenceAt(schedule, start))
  const moved = schedule.changed.filter((to) => to.from >= from && to.from < before && !except.has(to.start))
  return [...plain, ...moved].sort((a, b) => a.from - b.from || a.start - b.start).slice(0, most)
}

/** As the rule has it, unless it was changed. */
export function occurrenceAt(schedule: Schedule, start: Millis): Occurrence {
  const { length } = schedule
  return (
    schedule.changed.find((changed) => changed.start === start) ?? {
      start,
      from: start,
      until: length === null ? null : start + length,
    }
  )
}

/** The next so many that begin at a time or later, changed ones where they are now. @throws RecurrenceError */
export function nextOccurrences(schedule: Schedule, from: Millis, count: number): Occurrence[] {
  const starts = nextStarts(schedule, from, count + schedule.changed.length)
  const end = starts.at(count - 1) ?? Infinity
  const moved = new Set(schedule.changed.map((changed) => changed.start))
  const except = new Set(schedule.except)
  return [
    ...starts.filter((start) => !moved.has(start)).map((start) => occurrenceAt(schedule, start)),
    ...schedule.changed.filter((to) => to.from >= from && to.from <= end && !except.has(to.start)),
  ]
    .sort((a, b) => a.from - b.from)
    .slice(0, count)
}

/**
 * What a change of the clocks does to an occurrence. *skipped*: the clocks skip the time that it begins at, so it
 * begins later; *twice*: they show that time twice, and it begins the first time; *forward*, *back*: they are changed
 * while it lasts, so it ends at another time on the clocks than usual.
 */
export interface ClockEffect {
  occurrence: Occurrence
  effect: 'skipped' | 'twice' | 'forward' | 'back'
  /** How far the clocks are moved. */
  by: Millis
}

/**
 * Occurrences of the next so long that a change of the clocks touches.
 * @throws RecurrenceError
 */
export function clockEffects(schedule: Schedule, after: Millis, before: Millis): ClockEffect[] {
  const { zone, length } = schedule
  const found: ClockEffect[] = []
  for (let change = nextClockChange(zone, after); change && change.at < before;) {
    const { at, by } = change
    const size = Math.abs(by)
    for (const occurrence of occurrencesBetween(schedule, at - (length ?? 0), at + size + 1, 50)) {
      const { from, until } = occurrence
      if (by > 0 && from >= at && from < at + size && isDisplaced(schedule, occurrence, from))
        found.push({ occurrence, effect: 'skipped', by: size })
      // The hour before the change is the first of the two that show the same.
      else if (by < 0 && from >= at - size && from < at) found.push({ occurrence, effect: 'twice', by: size })
      else if (from < at && (until === null ? false : until > at))
        found.push({ occurrence, effect: by > 0 ? 'forward' : 'back', by: size })
    }
    change = nextClockChange(zone, at)
  }
  return found
}

/** Whether a start stands where the clocks, on other days, do not put it. */
function isDisplaced(schedule: Schedule, { start }: Occurrence, from: Millis): boolean {
  if (schedule.changed.some((changed) => changed.start === start)) return false
  const usual = schedule.starts.slice(11)
  return localOf(from, schedule.zone).slice(11) !== usual && !/BYHOUR/i.test(schedule.rule ?? '')
}

/**
 * The same exceptions and changes after the time of day, or the zone, of a schedule was changed: each stays on its day.
 */
export function carriedOver(before: Schedule, after: Recurrence): Pick<Schedule, 'except' | 'changed'> {
  const time = after.starts.slice(10)
  const moved = (start: Millis) => instantOf(localOf(start, before.zone).slice(0, 10) + time, after.zone)
  if (before.zone === after.zone && before.starts.slice(10) === time)
    return { except: before.except, changed: before.changed }
  return {
    except: before.except.map(moved),
    changed: before.changed.map((changed) => ({ ...changed, start: moved(changed.start) })),
  }
}

/**
 * A rule cut in two at one of its starts: what comes before it, and what goes on from it (with what is left of a
 * count).
 */
export function splitRule(schedule: Schedule, at: Millis): { before: string; after: string } {
  const rule = schedule.rule ?? ''
  const plain = rule.replace(/;?\b(COUNT|UNTIL)=[^;]*/gi, '').replace(/^;/, '')
  const count = /\bCOUNT=(\d+)/i.exec(rule)
  const until = /\bUNTIL=[^;]*/i.exec(rule)
  const first = instantOf(schedule.starts, schedule.zone)
  // A start that was moved out of a gap comes later than its rule has it: the day itself is left out.
  const isDaily = !/\bFREQ=(HOURLY|MINUTELY|SECONDLY)\b|\bBY(HOUR|MINUTE)=/i.test(rule)
  const midnight = () => instantOf(`${localOf(at, schedule.zone).slice(0, 10)}T00:00:00`, schedule.zone)
  const utc = new Date((isDaily ? midnight() : at) - 1000).toISOString().slice(0, 19).replace(/[-:]/g, '')
  const done = count ? startsBetween({ ...schedule, more: [], except: [] }, first, at, Number(count[1])).length : 0
  const rest = count ? `;COUNT=${Math.max(1, Number(count[1]) - done)}` : until ? `;${until[0]}` : ''
  return { before: `${plain};UNTIL=${utc}Z`, after: plain + rest }
}
