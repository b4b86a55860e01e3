import ICAL from 'ical.js'
import { tzlib_get_ical_block } from 'timezones-ical-library'
import type { Millis } from '#core'
import { compact, instantOf, localOf, occurrenceAt, withUntilInUtc } from '#core/schedule'
import { scheduleOf, type WindowRow } from '../../../store/windows'

/** A window as a calendar tells it. */
export interface CalendarWindow extends WindowRow {
  targetText: string
  saved_at: Millis
  /** Its only time was cancelled. */
  cancelled: boolean
}

const prodId = '-//Custode//Maintenance windows//EN'
export const uidOf = (row: Pick<WindowRow, 'id' | 'uid'>) => row.uid ?? `window-${row.id}@custode`

const utc = (at: Millis) => `${compact(new Date(at).toISOString().slice(0, 19))}Z`

/** Written as it stands: the library would fold and escape, but not look up what a value means. */
function timeProperty(name: string, at: Millis[], zone: string): ICAL.Property {
  const property = new ICAL.Property(name)
  const times = at.map((each) => ICAL.Time.fromDateTimeString(localOf(each, zone).slice(0, 19)))
  if (zone === 'UTC') for (const time of times) time.zone = ICAL.Timezone.utcTimezone
  else property.setParameter('tzid', zone)
  if (times.length === 1) property.setValue(times[0]!)
  else property.setValues(times)
  return property
}

const durationOf = (length: Millis) => ICAL.Duration.fromSeconds(Math.round(length / 1000))

function common(event: ICAL.Component, row: CalendarWindow): void {
  event.addPropertyWithValue('uid', uidOf(row))
  event.addPropertyWithValue('dtstamp', ICAL.Time.fromJSDate(new Date(row.saved_at), true))
  event.addPropertyWithValue('last-modified', ICAL.Time.fromJSDate(new Date(row.saved_at), true))
  event.addPropertyWithValue('created', ICAL.Time.fromJSDate(new Date(row.created_at), true))
  event.addPropertyWithValue('sequence', row.revision - 1)
  event.addPropertyWithValue('summary', row.name)
  if (row.reason) event.addPropertyWithValue('description', row.reason)
  event.addPropertyWithValue('location', row.targetText)
  event.addPropertyWithValue('transp', 'TRANSPARENT')
  if (/^https?:\/\/\S+$/.test(row.ticket)) event.addPropertyWithValue('url', row.ticket)
}

/** What only Custode reads: without it a window that goes out and comes in again would hold something else. */
function ownProperties(event: ICAL.Component, row: CalendarWindow): void {
  event.addPropertyWithValue('x-custode-target', JSON.stringify(row.target))
  event.addPropertyWithValue('x-custode-subject', JSON.stringify(row.subject))
  if (row.ticket) event.addPropertyWithValue('x-custode-ticket', row.ticket)
  if (row.length_ms === null) event.addPropertyWithValue('x-custode-no-end', 'TRUE')
}

/** The events of one window: the one that repeats, and one for each of its times that was changed. */
function eventsOf(row: CalendarWindow, isOwn: boolean): ICAL.Component[] {
  const schedule = scheduleOf(row)
  const event = new ICAL.Component('vevent')
  common(event, row)
  if (row.cancelled) event.addPropertyWithValue('status', 'CANCELLED')
  event.addProperty(timeProperty('dtstart', [instantOf(row.starts, row.zone)], row.zone))
  if (row.length_ms !== null) event.addPropertyWithValue('duration', durationOf(row.length_ms))
  if (row.rule !== null) {
    const rule = withUntilInUtc(row.rule, row.zone)
    const ended =
      row.ended_at === null ? rule : `${rule.replace(/;?\b(COUNT|UNTIL)=[^;]*/gi, '')};UNTIL=${utc(row.ended_at)}`
    event.addPropertyWithValue('rrule', ICAL.Recur.fromString(ended))
  }
  if (row.left_out.length) event.addProperty(timeProperty('exdate', row.left_out, row.zone))
  if (row.more.length) event.addProperty(timeProperty('rdate', row.more, row.zone))
  if (isOwn) ownProperties(event, row)
  const changed = row.changed.map(({ start }) => {
    const { from, until } = occurrenceAt(schedule, start)
    const one = new ICAL.Component('vevent')
    common(one, row)
    one.addProperty(timeProperty('recurrence-id', [start], row.zone))
    one.addProperty(timeProperty('dtstart', [from], row.zone))
    if (until !== null) one.addPropertyWithValue('duration', durationOf(until - from))
    return one
  })
  return [event, ...changed]
}

/**
 * Windows as iCalendar (RFC 5545), with the zones that they use.
 * @param isOwn with the properties that only Custode reads, for a file that comes back
 */
export function calendarText(windows: readonly CalendarWindow[], name: string, isOwn: boolean): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.addPropertyWithValue('prodid', prodId)
  calendar.addPropertyWithValue('version', '2.0')
  calendar.addPropertyWithValue('calscale', 'GREGORIAN')
  calendar.addPropertyWithValue('method', 'PUBLISH')
  // RFC 7986, section 5.1; the other is what calendars read that do not know it.
  calendar.addPropertyWithValue('name', name)
  calendar.addPropertyWithValue('x-wr-calname', name)
  for (const zone of new Set(windows.map((row) => row.zone))) {
    const [block] = zone === 'UTC' ? [] : [tzlib_get_ical_block(zone)].flat()
    if (block) calendar.addSubcomponent(new ICAL.Component(ICAL.parse(block)))
  }
  for (const row of windows) for (const event of eventsOf(row, isOwn)) calendar.addSubcomponent(event)
  return `${calendar.toString()}\r\n`
}
