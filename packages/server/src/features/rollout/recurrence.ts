import 'temporal-polyfill/global'
import { RRuleTemporal } from 'rrule-temporal'
import type { Millis } from '#core'

/**
 * When a recurrence (RFC 5545, section 3.8.5.3) comes next after a time. It begins at a local time of a zone.
 * @param begins local date and time, such as 20261123T030000
 * @returns null when it never comes again
 * @throws Error when the rule is none
 */
export function nextOf(rule: string, begins: string, zone: string, after: Millis): Millis | null {
  const recurrence = new RRuleTemporal({ rruleString: `DTSTART;TZID=${zone}:${begins}\nRRULE:${rule}` })
  return recurrence.next(new Date(after), false)?.epochMilliseconds ?? null
}
