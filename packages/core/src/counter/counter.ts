import type { MetricName } from '../series'
import { second } from '../units'

/** Where in a text that a program gives a number stands. */
export type Find =
  /** The nth number behind these words. */
  | { in: 'text'; after: string; nth: number }
  /** How many lines have these words. */
  | { in: 'lines'; words: string }
  /** A part of a document in JSON (RFC 8259), by a pointer (RFC 6901) in which a part `*` stands for each. */
  | { in: 'json'; pointer: readonly string[]; all: boolean }
  /** A sample of OpenMetrics 1.0, of those that have these labels. */
  | { in: 'samples'; name: string; labels: readonly (readonly [name: string, value: string])[]; all: boolean }

/** One number that is read again and again: one line of what is read of a program. */
export interface Counter {
  name: string
  find: Find
  unit: CounterUnit
  /** It only ever rises: what counts is by how much in a second. */
  perSecond: boolean
}

interface UnitOf {
  metric: CounterMetric
  /** Of the metric's unit. */
  times: number
  /** What it is by how much it rises in a second; absent: makes no sense. */
  rate?: CounterMetric
}
const bytes = (times: number) => ({ metric: 'counter.bytes', times, rate: 'counter.flow' }) as const
const kibibyte = 1024

/** What a number is of, as somebody writes it behind a comma. */
export const counterUnits = {
  number: { metric: 'counter.number', times: 1, rate: 'counter.rate' },
  bytes: bytes(1),
  kB: bytes(1000),
  KiB: bytes(kibibyte),
  MB: bytes(1e6),
  MiB: bytes(kibibyte ** 2),
  GB: bytes(1e9),
  GiB: bytes(kibibyte ** 3),
  µs: { metric: 'counter.delay', times: 1 / 1000 },
  ms: { metric: 'counter.delay', times: 1 },
  seconds: { metric: 'counter.time', times: 1, rate: 'counter.share' },
  minutes: { metric: 'counter.time', times: 60 },
  share: { metric: 'counter.share', times: 1 },
  '%': { metric: 'counter.share', times: 1 / 100 },
  /** Seconds since 1970: how long ago that was. */
  ago: { metric: 'counter.time', times: 1 },
} as const satisfies Record<string, UnitOf>
export type CounterUnit = keyof typeof counterUnits
export type CounterMetric = Extract<MetricName, `counter.${string}`>
const isUnit = (text: string): text is CounterUnit => Object.hasOwn(counterUnits, text)
const rateOf = (unit: UnitOf): CounterMetric | undefined => unit.rate

/** The metric that a counter is kept as. */
export const counterMetric = ({ unit, perSecond }: Pick<Counter, 'unit' | 'perSecond'>): CounterMetric =>
  (perSecond ? rateOf(counterUnits[unit]) : undefined) ?? counterUnits[unit].metric

/**
 * A number that was found, as a reading of its metric; what rises is still to be compared with the look before.
 * @param now in milliseconds since 1970
 */
export const counterValue = (unit: CounterUnit, found: number, now: number): number =>
  unit === 'ago' ? Math.max(0, now / second - found) : found * counterUnits[unit].times

/** Names of counters and of programs: they stand in front of a colon, and of a part. */
const isName = /^[^\p{Cc}:=]{1,60}$/u
const longestLine = 300
const mostNth = 100

/** What is wrong with a line, in words that say how it should be. */
export class CounterLineError extends Error {}

/**
 * A line as somebody writes it: `NAME = WHERE`, behind it a comma and what the number is of, and `per second` where it
 * only ever rises. Where:
 * - `after "Active connections:"`, or `number 3 after "accepts handled requests"`: in plain text;
 * - `lines with "active"`: how many there are;
 * - `/workers/busy`, `/pools/*\/active` or `sum of /pools/*\/active`: in JSON;
 * - `http_requests_total{code="500"}` or `sum of http_requests_total`: in OpenMetrics.
 * @example readCounter('requests = number 3 after "accepts handled requests", per second')
 * @throws CounterLineError
 */
export function readCounter(line: string): Counter {
  if (line.length > longestLine) throw new CounterLineError(`A line has at most ${longestLine} characters.`)
  const at = line.indexOf('=')
  if (at < 0) throw new CounterLineError(`Write a name, = and where it stands: requests = after "Total Accesses:".`)
  const name = line.slice(0, at).trim()
  if (!isName.test(name))
    throw new CounterLineError(`“${name}” is no name: up to 60 characters, without a colon, in front of the =.`)
  const { where, unit, perSecond } = readUnit(line.slice(at + 1).trim())
  if (perSecond && !rateOf(counterUnits[unit]))
    throw new CounterLineError(`“${unit}” has no rate: leave out “per second”.`)
  return { name, find: readFind(where), unit, perSecond }
}

/** Why a line is none; null: it is one. */
export function counterFault(line: string): string | null {
  try {
    readCounter(line)
    return null
  } catch (error) {
    if (!(error instanceof CounterLineError)) throw error
    return error.message
  }
}

/** What stands behind the last comma, where that is a unit; a comma may belong to what is looked for. */
function readUnit(text: string): { where: string; unit: CounterUnit; perSecond: boolean } {
  const comma = text.lastIndexOf(',')
  const behind = comma < 0 ? '' : text.slice(comma + 1).trim()
  const perSecond = /(?:^|\s)per second$/.test(behind)
  const unit = perSecond ? behind.slice(0, -'per second'.length).trim() || 'number' : behind
  if (comma >= 0 && isUnit(unit)) return { where: text.slice(0, comma).trim(), unit, perSecond }
  // Behind what is quoted nothing else can stand.
  if (comma > text.lastIndexOf('"') && /^(?:after|number|lines) /.test(text))
    throw new CounterLineError(`“${behind}” is no unit: write ${Object.keys(counterUnits).join(', ')}, or per second.`)
  return { where: text, unit: 'number', perSecond: false }
}

const quoted = String.raw`["“”]([^"“”]+)["“”]`
const afterForm = new RegExp(`^(?:number (\\d{1,3}) )?after ${quoted}$`)
const linesForm = new RegExp(`^lines with ${quoted}$`)
const samplesForm = /^([a-zA-Z_:][a-zA-Z0-9_:]*)(?:\{(.*)\})?$/
const labelForm = /^\s*([a-zA-Z_][a-zA-Z0-9_]*)\s*=\s*"((?:[^"\\]|\\.)*)"\s*(?:,|$)/

function readFind(text: string): Find {
  const after = afterForm.exec(text)
  if (after) {
    const nth = Number(after[1] ?? 1)
    if (nth < 1 || nth > mostNth) throw new CounterLineError(`Of the numbers behind the words it is 1 to ${mostNth}.`)
    return { in: 'text', after: after[2]!, nth }
  }
  const lines = linesForm.exec(text)
  if (lines) return { in: 'lines', words: lines[1]! }
  const all = text.startsWith('sum of ')
  const where = all ? text.slice('sum of '.length).trim() : text
  if (where.startsWith('/')) return { in: 'json', pointer: readPointer(where), all }
  const samples = samplesForm.exec(where)
  if (samples) return { in: 'samples', name: samples[1]!, labels: readLabels(samples[2] ?? ''), all }
  throw new CounterLineError(
    `“${text}” says no place: write after "words", /path/in/json, or the name of a sample such as http_requests_total.`,
  )
}

/** The parts of a pointer (RFC 6901, section 3 and 4). */
export function readPointer(text: string): string[] {
  if (/~(?![01])/.test(text)) throw new CounterLineError(`“${text}”: write ~ as ~0, and a / within a name as ~1.`)
  return text
    .slice(1)
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'))
}

function readLabels(text: string): [string, string][] {
  const labels: [string, string][] = []
  let rest = text
  while (rest.trim()) {
    const label = labelForm.exec(rest)
    if (!label) throw new CounterLineError(`“{${text}}”: labels are written {code="500",method="get"}.`)
    labels.push([label[1]!, unescaped(label[2]!)])
    rest = rest.slice(label[0].length)
  }
  return labels
}

/** Within quotes, of OpenMetrics 1.0, section 3.2: \\, \" and \n stand for what they are. */
export const unescaped = (text: string): string =>
  text.replace(/\\(.)/g, (whole, letter: string) =>
    letter === 'n' ? '\n' : letter === '"' || letter === '\\' ? letter : whole,
  )
