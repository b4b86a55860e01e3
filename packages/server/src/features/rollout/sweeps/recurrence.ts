import 'temporal-polyfill/global'
import { RRuleTemporal } from 'rrule-temporal'
import type { Millis } from '#core'

/**
 * Steps of a search: over four thousand days for a daily rule. A rule that never comes is given up after half a second.
 */
const maxIterations = 4000

/**
 * When a recurrence (RFC 5545, section 3.8.5.3) comes next after a time. It begins at a local time of a zone.
 * @param begins local date and time, such as 20261123T030000
 * @returns null when it never comes again
 * @throws Error when the rule is none, comes more often than once an hour, or does not come within any time worth
 * waiting for
 */
export function nextOf(rule: string, begins: string, zone: string, after: Millis): Millis | null {
  // One rule, and nothing else of a calendar beside it.
  if (!/^[\w=;,+-]+$/.test(rule)) throw new Error('it has other characters than a rule has')
  if (/\bFREQ=(SECONDLY|MINUTELY)\b|BYSECOND|BYMINUTE=\d+,/i.test(rule)) throw new Error('once an hour is the most')
  const recurrence = new RRuleTemporal({ maxIterations, rruleString: `DTSTART;TZID=${zone}:${begins}\nRRULE:${rule}` })
  try {
    return recurrence.next(new Date(after), false)?.epochMilliseconds ?? null
  } catch (error) {
    throw /iterations/i.test((error as Error).message) ? new Error('it does not come in years, or never') : error
  }
}
