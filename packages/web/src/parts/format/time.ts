import { computed, ref } from 'vue'
import { ageText, durationText, minute, type Millis } from '#core'
import { asOf } from '../data/asOf'

/** The time that it really is, moving on every second; one clock for the whole page. */
export const present = ref(Date.now())
setInterval(() => {
  present.value = Date.now()
}, 1000)
/** The time that the page shows: it stands still while somebody looks back. */
export const now = computed(() => asOf.value ?? present.value)

/** The zone of whoever reads. */
export const here = Intl.DateTimeFormat().resolvedOptions().timeZone
const format = (options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat('en-GB', { hour12: false, ...options })
const clock = format({ hour: '2-digit', minute: '2-digit' })
const weekday = format({ weekday: 'short' })
const dayMonth = format({ day: 'numeric', month: 'short' })
const day = format({ day: 'numeric', month: 'short', year: 'numeric' })
const exact = format({
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
  timeZoneName: 'short',
})
const full = format({ weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })

export const clockText = (at: Millis) => clock.format(at)
export const fullText = (at: Millis) => full.format(at).replace(',', '')
/** With seconds and zone, for a hover; in the site's own zone as well when that is another. */
export function exactText(at: Millis, zone?: string): string {
  const mine = exact.format(at)
  if (!zone || zone === here) return mine
  return `${mine} · ${format({ weekday: 'short', hour: '2-digit', minute: '2-digit', timeZone: zone }).format(at)} in ${zone}`
}
/** The day alone, with its year. */
export const dayText = (at: Millis) => day.format(at)
export const age = (at: Millis, to: Millis = now.value) => ageText(to - at)

/** Short time: the hour today, the day within a week, else the date. */
export function shortText(at: Millis): string {
  const back = now.value - at
  if (new Date(at).toDateString() === new Date(now.value).toDateString()) return clockText(at)
  return Math.abs(back) < 6 * 86_400_000 ? `${weekday.format(at)} ${clockText(at)}` : dayMonth.format(at)
}

const zoned = new Map<string, Intl.DateTimeFormat>()
/** Day and time on the clocks of a zone, which is named beside it. */
export function zonedText(at: Millis, zone: string): string {
  let formatter = zoned.get(zone)
  if (!formatter)
    zoned.set(
      zone,
      (formatter = format({
        weekday: 'short',
        day: 'numeric',
        month: 'short',
        hour: '2-digit',
        minute: '2-digit',
        timeZone: zone,
      })),
    )
  return formatter.format(at).replace(',', '')
}
/** The name of a zone beside a heading of times on its clocks; nothing where they are the reader's own. */
export const zoneTitle = (title: string, zone: string) => (zone === here ? title : `${title}, ${zone}`)

/** A length as people say it: in whole minutes. */
export const lengthText = (length: Millis) => durationText(Math.max(minute, Math.round(length / minute) * minute))
