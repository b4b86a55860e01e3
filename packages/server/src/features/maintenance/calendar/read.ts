import ICAL from 'ical.js'
import { targetSchema, windowSubjectSchema } from '#contract'
import type { Millis, Target, WindowSubject } from '#core'
import { instantOf, localOf, type Occurrence } from '#core/schedule'

/** A window as a calendar has it, read from one or more of its events. */
export interface ReadEvent {
  uid: string
  name: string
  reason: string
  ticket: string
  starts: string
  zone: string
  length: Millis | null
  rule: string | null
  except: Millis[]
  more: Millis[]
  changed: Occurrence[]
  cancelled: boolean
  /** Of a file that Custode has written. */
  target: Target | null
  subject: WindowSubject | null
}

export const calendarFaults = [
  'no-calendar',
  'no-start',
  'no-end',
  'no-zone',
  'several-rules',
  'no-event',
  'too-many',
] as const
export type CalendarFault = (typeof calendarFaults)[number]

/** Why one entry, or the whole of a file, cannot be taken. */
export class CalendarError extends Error {
  constructor(readonly fault: CalendarFault) {
    super(`calendar: ${fault}`)
  }
}

export interface ReadCalendar {
  events: ReadEvent[]
  /** Entries that are no window, each with its reason. */
  refused: { uid: string; name: string; fault: CalendarFault }[]
}

const mostEvents = 500

interface When {
  at: Millis
  zone: string
  local: string
  isDay: boolean
}

const knownZone = (zone: string) => {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone !== ''
  } catch {
    return false
  }
}

/** Names of zones as the calendar has them: IANA's, or one that its VTIMEZONE gives another name. */
function zoneNames(calendar: ICAL.Component): ReadonlyMap<string, string> {
  const names = new Map<string, string>()
  for (const zone of calendar.getAllSubcomponents('vtimezone')) {
    const id = String(zone.getFirstPropertyValue('tzid') ?? '')
    const location = String(zone.getFirstPropertyValue('x-lic-location') ?? '')
    // Some put a path before it: /example.org/20260101_1/Europe/Lisbon.
    const inside = /[A-Za-z_]+\/[A-Za-z_/+-]+$/.exec(id)?.[0] ?? ''
    const name = [id, location, inside].find((each) => each !== '' && knownZone(each))
    if (name) names.set(id, name)
  }
  return names
}

function timesOf(property: ICAL.Property, zones: ReadonlyMap<string, string>, floating: string): When[] {
  const tzid = property.getFirstParameter('tzid')
  const named = tzid ? (zones.get(tzid) ?? (knownZone(tzid) ? tzid : null)) : floating
  if (named === null) throw new CalendarError('no-zone')
  return property.getValues().map((value): When => {
    const time = value instanceof ICAL.Period ? value.start : (value as ICAL.Time)
    const text = time.toString()
    const isDay = time.isDate
    const isUtc = text.endsWith('Z')
    const local = isDay ? `${text.slice(0, 10)}T00:00:00` : text.replace(/Z$/, '')
    if (!isUtc) return { at: instantOf(local, named), zone: named, local, isDay }
    const at = Date.parse(text)
    return { at, zone: 'UTC', local, isDay }
  })
}

const one = (
  event: ICAL.Component,
  name: string,
  zones: ReadonlyMap<string, string>,
  floating: string,
): When | null => {
  const property = event.getFirstProperty(name)
  return property ? (timesOf(property, zones, floating)[0] ?? null) : null
}
const many = (event: ICAL.Component, name: string, zones: ReadonlyMap<string, string>, floating: string): Millis[] =>
  event.getAllProperties(name).flatMap((property) => timesOf(property, zones, floating).map(({ at }) => at))

const textOf = (event: ICAL.Component, name: string, most: number) =>
  String(event.getFirstPropertyValue(name) ?? '')
    .trim()
    .slice(0, most)

/** How long an event lasts; null: it says nothing of an end. */
function lengthOf(
  event: ICAL.Component,
  start: When,
  zones: ReadonlyMap<string, string>,
  floating: string,
): Millis | null {
  const duration = event.getFirstPropertyValue('duration')
  if (duration instanceof ICAL.Duration) return duration.toSeconds() * 1000
  const end = one(event, 'dtend', zones, floating)
  if (end) return end.at - start.at
  if (!start.isDay) return null
  const next = localOf(start.at + 36 * 3_600_000, start.zone).slice(0, 10)
  return instantOf(`${next}T00:00:00`, start.zone) - start.at
}

function ownValue<T>(
  event: ICAL.Component,
  name: string,
  schema: { validate(value: unknown): { error?: unknown } },
): T | null {
  const text = event.getFirstPropertyValue(name)
  if (typeof text !== 'string' || text.length > 60_000) return null
  // Whoever does not know a property may have written it as text, with what that escapes.
  for (const each of [text, text.replace(/\\([,;\\])/g, '$1')])
    try {
      const value: unknown = JSON.parse(each)
      return schema.validate(value).error ? null : (value as T)
    } catch {
      continue
    }
  return null
}

function readEvent(
  event: ICAL.Component,
  others: readonly ICAL.Component[],
  zones: ReadonlyMap<string, string>,
  floating: string,
): ReadEvent {
  const start = one(event, 'dtstart', zones, floating)
  if (!start) throw new CalendarError('no-start')
  const isOpen = event.getFirstPropertyValue('x-custode-no-end') === 'TRUE'
  const length = isOpen ? null : lengthOf(event, start, zones, floating)
  if (length === null ? !isOpen : length <= 0) throw new CalendarError('no-end')
  const rules = event.getAllProperties('rrule')
  if (rules.length > 1 || event.getFirstProperty('exrule')) throw new CalendarError('several-rules')
  const changed: Occurrence[] = []
  const except = many(event, 'exdate', zones, floating)
  for (const other of others) {
    const name = one(other, 'recurrence-id', zones, floating)
    const from = one(other, 'dtstart', zones, floating)
    if (!name) continue
    if (textOf(other, 'status', 20).toUpperCase() === 'CANCELLED') except.push(name.at)
    else if (from) {
      const own = lengthOf(other, from, zones, floating) ?? length
      changed.push({ start: name.at, from: from.at, until: own === null ? null : from.at + own })
    }
  }
  return {
    uid: textOf(event, 'uid', 300),
    name: textOf(event, 'summary', 100) || 'Maintenance',
    reason: textOf(event, 'description', 500),
    ticket: textOf(event, 'x-custode-ticket', 300) || textOf(event, 'url', 300),
    starts: start.local,
    zone: start.zone,
    length,
    rule: rules[0] ? String(rules[0].getFirstValue()) : null,
    except: except.sort((a, b) => a - b),
    more: many(event, 'rdate', zones, floating),
    changed,
    cancelled: textOf(event, 'status', 20).toUpperCase() === 'CANCELLED',
    target: ownValue<Target>(event, 'x-custode-target', targetSchema),
    subject: ownValue<WindowSubject>(event, 'x-custode-subject', windowSubjectSchema),
  }
}

/**
 * Reads a calendar (RFC 5545): each event with a UID of its own is a window. One that cannot be read fails alone.
 * @param floating zone of times that have none
 * @throws CalendarError *no-calendar*, *too-many*
 */
export function readCalendar(text: string, floating: string): ReadCalendar {
  let calendars: ICAL.Component[]
  try {
    const parsed: unknown = ICAL.parse(text)
    const list = (Array.isArray((parsed as unknown[])[0]) ? parsed : [parsed]) as unknown[][]
    calendars = list.map((each) => new ICAL.Component(each))
  } catch {
    throw new CalendarError('no-calendar')
  }
  if (calendars.some((calendar) => calendar.name !== 'vcalendar')) throw new CalendarError('no-calendar')
  const events: ReadEvent[] = []
  const refused: ReadCalendar['refused'] = []
  for (const calendar of calendars) {
    const zones = zoneNames(calendar)
    const byUid = new Map<string, ICAL.Component[]>()
    const found = calendar.getAllSubcomponents('vevent')
    if (found.length > mostEvents) throw new CalendarError('too-many')
    found.forEach((event, i) => {
      const uid = textOf(event, 'uid', 300) || `no-uid-${i}`
      byUid.set(uid, [...(byUid.get(uid) ?? []), event])
    })
    for (const [uid, all] of byUid) {
      const main = all.find((event) => !event.getFirstProperty('recurrence-id'))
      const name = textOf(main ?? all[0]!, 'summary', 100)
      try {
        if (!main) throw new CalendarError('no-event')
        events.push(
          readEvent(
            main,
            all.filter((event) => event !== main),
            zones,
            floating,
          ),
        )
      } catch (error) {
        // Whatever it is that one entry says, the others are read.
        refused.push({ uid, name, fault: error instanceof CalendarError ? error.fault : 'no-start' })
      }
    }
  }
  return { events, refused }
}
