import { RRuleTemporal } from 'rrule-temporal'
import { Temporal } from 'temporal-polyfill'
import type { Millis } from '../units'

/** A date and a time on the clocks of a zone: *2026-11-24T02:00:00*; what began at once has a fraction of a second. */
export type LocalTime = string

/** When something begins, again and again: RFC 5545, sections 3.8.2.4 and 3.8.5. */
export interface Recurrence {
  /** DTSTART, on the clocks of the zone. */
  starts: LocalTime
  /** Name in the IANA time zone database. */
  zone: string
  /** The value of RRULE; null: once. */
  rule: string | null
  /** RDATE: begins then as well. */
  more: readonly Millis[]
  /** EXDATE: does not begin then. */
  except: readonly Millis[]
}

export const recurrenceFaults = ['no-rule', 'too-often', 'never', 'no-zone', 'no-time'] as const
export type RecurrenceFault = (typeof recurrenceFaults)[number]

/** A recurrence that cannot be worked out, or not in any time worth waiting for. */
export class RecurrenceError extends Error {
  constructor(readonly fault: RecurrenceFault) {
    super(`recurrence: ${fault}`)
  }
}

/** Steps of one search: over four thousand days of a daily rule. What never comes is given up within a second. */
const maxIterations = 4000

const isLocalTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,3})?$/
const subDaily = /\bFREQ=(HOURLY|MINUTELY|SECONDLY)\b/i

/** Days repeat on the clocks of the zone; hours and less go by elapsed time, as RFC 5545 has it. */
const isSubDaily = ({ rule }: Recurrence) => rule !== null && subDaily.test(rule)

/**
 * The instant of a time on the clocks of a zone. One that the clocks skip is moved forward by what they skip, one that
 * they show twice is the first of both (RFC 5545, section 3.3.5; Temporal's *compatible*).
 * @throws RecurrenceError *no-zone*, *no-time*
 */
export function instantOf(local: LocalTime, zone: string): Millis {
  if (!isLocalTime.test(local)) throw new RecurrenceError('no-time')
  let time: Temporal.PlainDateTime
  try {
    time = Temporal.PlainDateTime.from(local)
  } catch {
    throw new RecurrenceError('no-time')
  }
  try {
    return time.toZonedDateTime(zone, { disambiguation: 'compatible' }).epochMilliseconds
  } catch {
    throw new RecurrenceError('no-zone')
  }
}

/** What the clocks of a zone show at an instant. @throws RecurrenceError *no-zone* */
export function localOf(at: Millis, zone: string): LocalTime {
  try {
    const local = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDateTime()
    return local.toString({ smallestUnit: at % 1000 ? 'millisecond' : 'second' })
  } catch {
    throw new RecurrenceError('no-zone')
  }
}

/** The time on the clocks, as if it were UTC: days of one length, without gaps, to count in. */
const wallOf = (at: Millis, zone: string): Millis => Date.parse(`${localOf(at, zone)}Z`)
const instantOfWall = (wall: Millis, zone: string): Millis => instantOf(new Date(wall).toISOString().slice(0, 19), zone)

/** UNTIL is in UTC (RFC 5545, section 3.3.10); one without Z, or a date alone, is on the clocks already. */
function untilOnClocks(rule: string, zone: string): string {
  return rule.replace(/\bUNTIL=(\d{4})(\d\d)(\d\d)(?:T(\d\d)(\d\d)(\d\d)(Z?))?/i, (whole, y, mo, d, h, mi, s, utc) => {
    if (h === undefined) return `UNTIL=${y}${mo}${d}T235959Z`
    if (!utc) return `${whole}Z`
    return `UNTIL=${compact(localOf(Date.parse(`${y}-${mo}-${d}T${h}:${mi}:${s}Z`), zone))}Z`
  })
}

/** The rule with its UNTIL in UTC, as RFC 5545, section 3.3.10 wants it beside a DTSTART with a zone. */
export function withUntilInUtc(rule: string, zone: string): string {
  return rule.replace(/\bUNTIL=(\d{4})(\d\d)(\d\d)(?:T(\d\d)(\d\d)(\d\d))?(?![\dTZ])/i, (_, y, mo, d, h, mi, s) => {
    const local = `${y}-${mo}-${d}T${h ?? '23'}:${mi ?? '59'}:${s ?? '59'}`
    return `UNTIL=${compact(new Date(instantOf(local, zone)).toISOString().slice(0, 19))}Z`
  })
}

/** *2026-11-24T02:00:00* as iCalendar writes it: *20261124T020000*; it knows no fraction of a second. */
export const compact = (local: LocalTime) => local.slice(0, 19).replace(/[-:]/g, '')

function readRule(recurrence: Recurrence, rule: string): RRuleTemporal {
  // One rule, and nothing else of a calendar beside it.
  if (!/^[\w=;,+-]+$/.test(rule)) throw new RecurrenceError('no-rule')
  const start = compact(recurrence.starts)
  const onClocks = isSubDaily(recurrence)
    ? `DTSTART;TZID=${recurrence.zone}:${start}\nRRULE:${rule}`
    : `DTSTART:${start}Z\nRRULE:${untilOnClocks(rule, recurrence.zone)}`
  try {
    return new RRuleTemporal({ maxIterations, rruleString: onClocks })
  } catch {
    throw new RecurrenceError('no-rule')
  }
}

/** Rules that were read, the newest last: many devices and pages ask of the same few. */
const read = new Map<string, RRuleTemporal>()
const mostRead = 500

function ruleOf(recurrence: Recurrence, rule: string): RRuleTemporal {
  const key = `${recurrence.zone} ${recurrence.starts} ${rule}`
  const known = read.get(key)
  if (known) return known
  const fresh = readRule(recurrence, rule)
  if (read.size >= mostRead) read.delete(read.keys().next().value!)
  read.set(key, fresh)
  return fresh
}

function given<T>(search: () => T): T {
  try {
    return search()
  } catch (error) {
    if (error instanceof RecurrenceError) throw error
    throw new RecurrenceError(/iterations|evaluations/i.test((error as Error).message) ? 'never' : 'no-rule')
  }
}

/**
 * What begins from a time (included) to another (not included), in order, each once. A start that the clocks skip in
 * spring happens all the same, moved forward; one in the hour that comes twice happens once, the first time. (A strict
 * reading of RFC 5545, section 3.3.10 leaves such a start out: work that is planned would not be covered that night.)
 * @param most no more than so many
 * @throws RecurrenceError
 * @example
 * startsBetween({ starts: '2027-03-27T02:30:00', zone: 'Europe/Berlin', rule: 'FREQ=DAILY', more: [], except: [] },
 *   Date.parse('2027-03-28T00:00Z'), Date.parse('2027-03-29T00:00Z'), 10) // 03:30 of the day that has no 02:30
 */
export function startsBetween(recurrence: Recurrence, from: Millis, before: Millis, most: number): Millis[] {
  const { starts, zone, rule, more } = recurrence
  const first = instantOf(starts, zone)
  const found = new Set<Millis>(more)
  if (rule === null) found.add(first)
  else {
    const read = ruleOf(recurrence, rule)
    const bySubDay = isSubDaily(recurrence)
    const there = (at: Millis) => new Date(bySubDay ? at : wallOf(at, zone))
    // The clocks of two instants may differ by an hour or so from what lies between them.
    const slack = 3 * 3_600_000
    const between = given(() => read.between(there(Math.max(from, first) - slack), there(before + slack), true))
    for (const { epochMilliseconds } of between)
      found.add(bySubDay ? epochMilliseconds : instantOfWall(epochMilliseconds, zone))
  }
  const except = new Set(recurrence.except)
  return [...found]
    .filter((at) => at >= from && at < before && !except.has(at))
    .sort((a, b) => a - b)
    .slice(0, most)
}

/** Longest search for what comes after another: 29 February comes every four years, and not in 1900 or 2100. */
const searched: Millis = 9 * 366 * 86_400_000

/**
 * The next so many that begin at a time or later; fewer where there are no more.
 * @throws RecurrenceError
 */
export function nextStarts(recurrence: Recurrence, from: Millis, count: number): Millis[] {
  const found: Millis[] = []
  // In growing steps: most rules come soon, and counting through nine years of hours would take long.
  let step = isSubDaily(recurrence) ? 2 * 86_400_000 : 40 * 86_400_000
  const begun = Math.max(from, Math.min(instantOf(recurrence.starts, recurrence.zone), ...recurrence.more))
  for (let at = begun; at < (found.at(-1) ?? begun) + searched && found.length < count; step *= 3) {
    found.push(...startsBetween(recurrence, at, at + step, count - found.length))
    at += step
    step = Math.min(step, searched)
  }
  return found
}

/**
 * The same recurrence, told from its first start: a rule need not match the time that it was written down with, but RFC
 * 5545, section 3.8.5.3 wants DTSTART to be one of it.
 */
export function aligned(recurrence: Recurrence): Recurrence {
  if (recurrence.rule === null) return recurrence
  const plain = { ...recurrence, more: [], except: [] }
  const [first] = nextStarts(plain, instantOf(recurrence.starts, recurrence.zone), 1)
  if (first === undefined) return recurrence
  // One that was moved out of a gap keeps the time that it was meant for.
  const local = localOf(first, recurrence.zone)
  return { ...recurrence, starts: isMoved(recurrence, first) ? recurrence.starts : local }
}

/** Whether the clocks skip the time that a start was meant for. */
const isMoved = ({ starts, zone }: Recurrence, at: Millis) =>
  at === instantOf(starts, zone) && localOf(at, zone) !== starts

/**
 * What must not be taken in: a rule that is none, or comes more often than once an hour, or never; a zone or a time
 * that is not there. A rule with a count or an end that is over is no fault.
 */
export function recurrenceFault(recurrence: Recurrence): RecurrenceFault | null {
  try {
    const first = instantOf(recurrence.starts, recurrence.zone)
    const { rule } = recurrence
    if (rule === null) return null
    if (/\bFREQ=(SECONDLY|MINUTELY)\b|\bBYSECOND=|\bBYMINUTE=\d+,/i.test(rule)) {
      readRule(recurrence, rule)
      return 'too-often'
    }
    return nextStarts({ ...recurrence, more: [], except: [] }, first, 1).length ? null : 'never'
  } catch (error) {
    if (error instanceof RecurrenceError) return error.fault
    throw error
  }
}

/** A change of the clocks of a zone. `by`: forward in spring, so positive; back in autumn. */
export interface ClockChange {
  at: Millis
  by: Millis
}

/** The next change of a zone's clocks after a time, within two years; null: they are not changed. */
export function nextClockChange(zone: string, after: Millis): ClockChange | null {
  const now = Temporal.Instant.fromEpochMilliseconds(after).toZonedDateTimeISO(zone)
  const next = now.getTimeZoneTransition('next')
  if (!next || next.epochMilliseconds - after > 2 * 366 * 86_400_000) return null
  const before = next.subtract({ milliseconds: 1 })
  return {
    at: next.epochMilliseconds,
    by: Math.round((next.offsetNanoseconds - before.offsetNanoseconds) / 1e6),
  }
}
