import { day, hour, minute, second, type Bytes, type Millis, type Ratio } from '../units'

const trim = (value: number, digits: number): string => String(Number(value.toFixed(digits)))

/** Elapsed time in its largest whole unit: 90 s, 15 min, 24 h, 7 days. @example durationText(900_000) // '15 min' */
export function durationText(length: Millis): string {
  if (length >= 2 * day && length % day === 0) return `${length / day} days`
  if (length >= hour && length % hour === 0) return `${length / hour} h`
  if (length >= 2 * minute && length % minute === 0) return `${length / minute} min`
  if (length >= second) return `${trim(length / second, 1)} s`
  return length === 0 ? '0 s' : `${length} ms`
}

/** Decimal prefixes (IEC 80000-13). @example bytesText(20_000_000_000) // '20 GB' */
export function bytesText(bytes: Bytes): string {
  const size = Math.abs(bytes)
  for (const [factor, unit] of [
    [1e12, 'TB'],
    [1e9, 'GB'],
    [1e6, 'MB'],
    [1e3, 'kB'],
  ] as const)
    if (size >= factor) return `${trim(bytes / factor, size / factor < 10 ? 1 : 0)} ${unit}`
  return `${trim(bytes, 0)} B`
}

/** @example percentText(0.031) // '3.1 %' */
export function percentText(share: Ratio): string {
  return `${trim(share * 100, share < 0.1 ? 1 : 0)} %`
}

/** How long ago or how long since, coarsely: 20 s, 5 min, 3 h 12 min, 2 d. */
export function ageText(length: Millis): string {
  const positive = Math.max(0, length)
  if (positive < minute) return `${Math.floor(positive / second)} s`
  if (positive < hour) return `${Math.floor(positive / minute)} min`
  if (positive < day) {
    const minutes = Math.floor((positive % hour) / minute)
    return `${Math.floor(positive / hour)} h${minutes ? ` ${String(minutes).padStart(2, '0')} min` : ''}`
  }
  return `${Math.floor(positive / day)} d`
}

const units: Record<string, Millis> = {
  s: second,
  sec: second,
  second: second,
  seconds: second,
  min: minute,
  m: minute,
  minute: minute,
  minutes: minute,
  h: hour,
  hour: hour,
  hours: hour,
  d: day,
  day: day,
  days: day,
}

/**
 * The inverse of durationText, forgiving about spelling. Null when it is no duration. @example parseDuration('2h') //
 * 7200000
 */
export function parseDuration(text: string): Millis | null {
  if (!/^\s*(?:\d+(?:\.\d+)?\s*[a-z]+\s*){1,4}$/i.test(text)) return null
  let length = 0
  for (const [, count, name] of text.matchAll(/(\d+(?:\.\d+)?)\s*([a-z]+)/gi)) {
    const unit = units[name!.toLowerCase()]
    if (!unit) return null
    length += Number(count) * unit
  }
  return Math.round(length)
}

const byteUnits: Record<string, Bytes> = { b: 1, kb: 1e3, mb: 1e6, gb: 1e9, tb: 1e12 }

/** The inverse of bytesText. Null when it is no size. @example parseBytes('20 GB') // 20000000000 */
export function parseBytes(text: string): Bytes | null {
  const match = /^\s*(\d+(?:\.\d+)?)\s*([kmgt]?b)\s*$/i.exec(text)
  return match ? Math.round(Number(match[1]) * byteUnits[match[2]!.toLowerCase()]!) : null
}

const whole = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 0 })
/**
 * A count as it is read, with its thousands apart.
 * @example numberText(10_000) // '10,000'
 */
export const numberText = (count: number): string => whole.format(count)

const most = 400 * day

/**
 * A time of which only the bounds are known, in one unit.
 * @example lengthBetweenText(6 * day, 9 * day) // '6–9 days'
 */
export function lengthBetweenText(soonest: Millis, latest: Millis): string {
  const [name, unit] = (
    [
      ['day', day, 2 * day],
      ['hour', hour, 2 * hour],
      ['minute', minute, 0],
    ] as const
  ).find(([, , least]) => latest >= least)!
  const [low, high] = [Math.round(soonest / unit), Math.round(Math.min(latest, most) / unit)]
  if (soonest >= most) return `more than ${countText(most / unit, name)}`
  if (latest > most) return `${numberText(low)} to more than ${countText(high, name)}`
  return low === high ? countText(high, name) : `${numberText(low)}–${countText(high, name)}`
}

/**
 * How many of what, in words.
 * @example countText(1, 'device') // '1 device'
 * @example countText(3000, 'device') // '3,000 devices'
 */
export function countText(count: number, singular: string, many = `${singular}s`): string {
  return `${numberText(count)} ${count === 1 ? singular : many}`
}
