/** Days as iCalendar names them: RFC 5545, section 3.3.10. */
export const weekdays = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const
export type Weekday = (typeof weekdays)[number]
export const weekdayWords: Record<Weekday, string> = {
  MO: 'Monday',
  TU: 'Tuesday',
  WE: 'Wednesday',
  TH: 'Thursday',
  FR: 'Friday',
  SA: 'Saturday',
  SU: 'Sunday',
}

/** Which of a month: the first, second, third, fourth, last. */
export const ordinals = [1, 2, 3, 4, -1] as const
export type Ordinal = (typeof ordinals)[number]

/** A day of a month by its number, -1 the last; or the n-th of a day of the week, or of Monday to Friday. */
export type MonthDay = { day: number } | { nth: Ordinal; weekday: Weekday | 'any' }

/** How a window repeats, as a sentence has it. What it cannot say is written as a rule of RFC 5545. */
export type Repeat =
  | { every: 'day'; interval: number }
  | { every: 'week'; interval: number; days: readonly Weekday[] }
  | { every: 'month'; interval: number; on: MonthDay }

/** After so many, or at an UNTIL as the rule has it; null: never. */
export type RepeatEnd = { count: number } | { until: string } | null

const workdays = 'MO,TU,WE,TH,FR'

export function repeatRule(repeat: Repeat, end: RepeatEnd): string {
  const parts = [`FREQ=${{ day: 'DAILY', week: 'WEEKLY', month: 'MONTHLY' }[repeat.every]}`]
  if (repeat.interval > 1) parts.push(`INTERVAL=${repeat.interval}`)
  if (repeat.every === 'week' && repeat.days.length)
    parts.push(`BYDAY=${weekdays.filter((day) => repeat.days.includes(day)).join(',')}`)
  if (repeat.every === 'month') {
    const { on } = repeat
    if ('day' in on) parts.push(`BYMONTHDAY=${on.day}`)
    else if (on.weekday === 'any') parts.push(`BYDAY=${workdays}`, `BYSETPOS=${on.nth}`)
    else parts.push(`BYDAY=${on.nth}${on.weekday}`)
  }
  if (end && 'count' in end) parts.push(`COUNT=${end.count}`)
  if (end && 'until' in end) parts.push(`UNTIL=${end.until}`)
  return parts.join(';')
}

const frequencies: Readonly<Record<string, Repeat['every']>> = { DAILY: 'day', WEEKLY: 'week', MONTHLY: 'month' }

function readMonthDay({ BYMONTHDAY, BYDAY, BYSETPOS }: Record<string, string>): MonthDay | null {
  if (BYMONTHDAY !== undefined && BYDAY === undefined && BYSETPOS === undefined) {
    const day = Number(BYMONTHDAY)
    return Number.isInteger(day) && (day === -1 || (day >= 1 && day <= 31)) ? { day } : null
  }
  if (BYDAY === undefined || BYMONTHDAY !== undefined) return null
  const isOrdinal = (nth: number): nth is Ordinal => (ordinals as readonly number[]).includes(nth)
  if (BYSETPOS !== undefined) {
    const nth = Number(BYSETPOS)
    return BYDAY === workdays && isOrdinal(nth) ? { nth, weekday: 'any' } : null
  }
  const [, nth, weekday] = /^(-?\d)(MO|TU|WE|TH|FR|SA|SU)$/.exec(BYDAY) ?? []
  return nth && isOrdinal(Number(nth)) ? { nth: Number(nth) as Ordinal, weekday: weekday as Weekday } : null
}

/** A rule as a sentence would have made it; null where a sentence cannot say it. */
export function readRepeat(rule: string): { repeat: Repeat; end: RepeatEnd } | null {
  const fields: Record<string, string> = {}
  for (const part of rule.toUpperCase().split(';')) {
    const [name, value] = part.split('=')
    if (!name || !value || name in fields) return null
    fields[name] = value
  }
  const { FREQ = '', INTERVAL = '1', COUNT, UNTIL, WKST = 'MO', ...by } = fields
  const every = frequencies[FREQ]
  const interval = Number(INTERVAL)
  if (!every || !Number.isInteger(interval) || interval < 1) return null
  if (WKST !== 'MO' && interval > 1) return null
  const end = COUNT !== undefined ? { count: Number(COUNT) } : UNTIL !== undefined ? { until: UNTIL } : null
  if (every === 'day') return Object.keys(by).length ? null : { repeat: { every, interval }, end }
  if (every === 'week') {
    if (Object.keys(by).some((name) => name !== 'BYDAY')) return null
    const days = (by.BYDAY ?? '').split(',').filter(Boolean)
    if (!days.every((day) => (weekdays as readonly string[]).includes(day))) return null
    return { repeat: { every, interval, days: days as Weekday[] }, end }
  }
  if (Object.keys(by).some((name) => !['BYMONTHDAY', 'BYDAY', 'BYSETPOS'].includes(name))) return null
  const on = readMonthDay(by)
  return on && { repeat: { every, interval, on }, end }
}

export const ordinalWords: Record<Ordinal, string> = { 1: 'first', 2: 'second', 3: 'third', 4: 'fourth', [-1]: 'last' }

function numeral(day: number): string {
  const tens = day % 100
  const ending = tens > 10 && tens < 14 ? 'th' : ({ 1: 'st', 2: 'nd', 3: 'rd' }[day % 10] ?? 'th')
  return `${day}${ending}`
}

const listed = (words: readonly string[]) =>
  words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`

function monthDayWords(on: MonthDay): string {
  if ('day' in on) return on.day === -1 ? 'last day' : numeral(on.day)
  return `${ordinalWords[on.nth]} ${on.weekday === 'any' ? 'weekday' : weekdayWords[on.weekday]}`
}

function everyWords({ every, interval }: Repeat): string {
  if (interval === 1) return `every ${every}`
  return interval === 2 ? `every second ${every}` : `every ${interval} ${every}s`
}

function endWords(end: RepeatEnd): string {
  if (end === null) return ''
  if ('count' in end) return `, ${end.count} ${end.count === 1 ? 'time' : 'times'}`
  return `, until ${end.until.slice(0, 4)}-${end.until.slice(4, 6)}-${end.until.slice(6, 8)}`
}

/**
 * A rule in words.
 * @example repeatWords('FREQ=MONTHLY;BYDAY=2TU') // 'every month on the second Tuesday'
 */
export function repeatWords(rule: string): string {
  const found = readRepeat(rule)
  if (!found) return `by the rule ${rule}`
  const { repeat, end } = found
  const on =
    repeat.every === 'week' && repeat.days.length
      ? ` on ${listed(weekdays.filter((day) => repeat.days.includes(day)).map((day) => weekdayWords[day]))}`
      : repeat.every === 'month'
        ? ` on the ${monthDayWords(repeat.on)}`
        : ''
  return everyWords(repeat) + on + endWords(end)
}
