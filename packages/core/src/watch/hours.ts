import { minute, type Millis } from '../units'

/**
 * Days of the week, Monday first (ISO 8601), with the hours from `from` to `to`, in minutes after midnight; over
 * midnight where `to` is not later.
 */
export interface Hours {
  days: readonly number[]
  from: number
  to: number
}

const dayNames = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

function readDays(text: string): number[] | null {
  const day = (name: string) => dayNames.findIndex((candidate) => candidate.toLowerCase() === name.toLowerCase()) + 1
  const days: number[] = []
  for (const part of text.split(',').map((piece) => piece.trim())) {
    const [first, last = first] = part.split(/\s*[-–]\s*/)
    const [a, b] = [day(first ?? ''), day(last ?? '')]
    if (!a || !b) return null
    for (let day = a; ; day = (day % 7) + 1) {
      days.push(day)
      if (day === b) break
    }
  }
  return [...new Set(days)].sort((a, b) => a - b)
}

/**
 * Reads hours of the week. Null when it is none.
 * @example readHours('Mon–Fri 08:00–20:00') // { days: [1, 2, 3, 4, 5], from: 480, to: 1200 }
 */
export function readHours(text: string): Hours | null {
  const match = /^\s*(?:([a-z][a-z ,–-]*?)\s+)?(\d{1,2})(?::(\d\d))?\s*[-–]\s*(\d{1,2})(?::(\d\d))?\s*$/i.exec(text)
  if (!match) return null
  const [from, to] = [Number(match[2]) * 60 + Number(match[3] ?? 0), Number(match[4]) * 60 + Number(match[5] ?? 0)]
  const days = match[1] === undefined ? [1, 2, 3, 4, 5, 6, 7] : readDays(match[1])
  return days && from < 1440 && to <= 1440 && Number(match[3] ?? 0) < 60 && Number(match[5] ?? 0) < 60 && from !== to
    ? { days, from, to }
    : null
}

const clocks = new Map<string, Intl.DateTimeFormat>()

/** Day of the week, from 1, Monday (ISO 8601), and minutes after midnight on the clocks of a zone. */
export function localTime(at: Millis, zone: string): { day: number; minutes: number } {
  let clock = clocks.get(zone)
  if (!clock)
    clocks.set(
      zone,
      (clock = new Intl.DateTimeFormat('en-GB', {
        timeZone: zone,
        weekday: 'short',
        hour: '2-digit',
        minute: '2-digit',
        hourCycle: 'h23',
      })),
    )
  const parts = Object.fromEntries(clock.formatToParts(at).map((part) => [part.type, part.value]))
  return { day: dayNames.indexOf(parts.weekday!) + 1, minutes: Number(parts.hour) * 60 + Number(parts.minute) }
}

/**
 * Whether a moment lies within the hours, on the clocks of the zone; hours over midnight belong to the day they begin
 * on.
 */
export function withinHours(hours: Hours, at: Millis, zone: string): boolean {
  const { day, minutes } = localTime(at, zone)
  if (hours.from < hours.to) return hours.days.includes(day) && minutes >= hours.from && minutes < hours.to
  const before = ((day + 5) % 7) + 1
  return (minutes >= hours.from && hours.days.includes(day)) || (minutes < hours.to && hours.days.includes(before))
}

/**
 * When hours next begin, or end, after a moment: what they do next there. Null: not within a week and a day.
 * @example hoursTurn(readHours('Mon–Fri 08:00–20:00')!, fridayAt21, 'Europe/Lisbon') // Monday at 08:00
 */
export function hoursTurn(hours: Hours, after: Millis, zone: string): Millis | null {
  const isWithin = withinHours(hours, after, zone)
  const edge = (isWithin ? hours.to : hours.from) % 1440
  const start = Math.floor(after / minute) * minute
  const { minutes } = localTime(start, zone)
  for (let day = 0; day <= 8; day++) {
    const guess = start + (((edge - minutes + 1440) % 1440) + 1440 * day) * minute
    // Where clocks were changed between, the same minute of the day lies an hour or so off.
    const off = ((localTime(guess, zone).minutes - edge + 2160) % 1440) - 720
    for (const candidate of [guess - off * minute, guess])
      if (candidate > after && withinHours(hours, candidate, zone) !== isWithin) return candidate
  }
  return null
}

const read = new Map<string, Hours | null>()
let last: { minute: number; zone: string; text: string; within: boolean } | null = null

/** Whether a watch with these hours looks at this moment; an empty text is always. */
export function looksAt(text: string, at: Millis, zone: string): boolean {
  if (text === '') return true
  const now = Math.floor(at / minute)
  if (last?.minute === now && last.zone === zone && last.text === text) return last.within
  let hours = read.get(text)
  if (hours === undefined) {
    if (read.size > 1000) read.clear()
    read.set(text, (hours = readHours(text)))
  }
  const within = hours === null || withinHours(hours, at, zone)
  last = { minute: now, zone, text, within }
  return within
}
