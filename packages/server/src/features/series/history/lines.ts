import { parse } from 'csv-parse'
import { pipeline, type Readable } from 'node:stream'
import split from 'split2'
import { day, readingFault, rounded, type MetricName, type Millis } from '#core'

/** What a line says, before anybody looked at it. */
export interface HistoryLine {
  line: number
  fields: Record<string, unknown>
  /** Why it says nothing. */
  fault?: string
}
/** What a line says, once it was looked at. */
export interface HistoryReading {
  device: string
  at: Millis
  metric: MetricName
  instance: string
  value: number
}

export const historyMedia = ['application/x-ndjson', 'text/csv'] as const
export type HistoryMedia = (typeof historyMedia)[number]

/** A line is some hundred bytes; one that is far longer is none, and is passed over. */
const longestLine = 16 * 1024

/** @throws Error where the file cannot be read further, as when a quote is not closed */
export async function* historyLines(body: Readable, media: HistoryMedia): AsyncGenerator<HistoryLine> {
  if (media === 'text/csv') {
    yield* csvLines(body)
    return
  }
  const lines = split({ maxLength: longestLine })
  pipeline(body, lines, () => undefined)
  let line = 0
  for await (const text of lines as AsyncIterable<string>) {
    line++
    if (text.trim() === '') continue
    yield { line, fields: objectIn(text) }
  }
}

/** A record that is none is passed over and told; the others go on. */
async function* csvLines(body: Readable): AsyncGenerator<HistoryLine> {
  const broken: HistoryLine[] = []
  const csv = parse({
    columns: true,
    bom: true,
    info: true,
    skip_empty_lines: true,
    relax_column_count: true,
    max_record_size: longestLine,
    skip_records_with_error: true,
    on_skip: (error) => {
      broken.push({ line: Number(error?.lines ?? 0), fields: {}, fault: `This is no record: ${error?.message ?? ''}` })
      return undefined
    },
  })
  pipeline(body, csv, () => undefined)
  for await (const { record, info } of csv as AsyncIterable<{
    record: Record<string, string>
    info: { lines: number }
  }>) {
    yield* broken.splice(0)
    yield { line: info.lines, fields: record }
  }
  yield* broken
}

function objectIn(text: string): Record<string, unknown> {
  try {
    const found: unknown = JSON.parse(text)
    if (typeof found === 'object' && found !== null && !Array.isArray(found)) return found as Record<string, unknown>
  } catch {
    // It is told as a line that is no object.
  }
  return { '': text }
}

/** With a zone, so that everybody reads the same (RFC 3339), or milliseconds since 1970. */
function timeIn(said: unknown): Millis | null {
  if (typeof said === 'number') return Number.isInteger(said) ? said : null
  if (typeof said !== 'string') return null
  if (/^\d{10,14}$/.test(said)) return Number(said)
  const found = /^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d)$/.test(said) ? Date.parse(said) : NaN
  return Number.isNaN(found) ? null : Math.floor(found)
}

export interface TimeBounds {
  /** As far back as anything is kept of readings. */
  from: Millis
  /** Days that are over, in UTC. */
  until: Millis
}

/** @returns the reading, or why the line is none, with what to do */
export function readingOf(
  { fields, fault: broken }: HistoryLine,
  { from, until }: TimeBounds,
): HistoryReading | string {
  if (broken !== undefined) return broken
  if (Object.hasOwn(fields, ''))
    return 'This is no JSON object. Write one a line: {"device": …, "time": …, "metric": …, "value": …}.'
  const { device = '', metric, instance = '' } = fields
  if (typeof device !== 'string' && typeof device !== 'number') return 'The device is neither a name nor a number.'
  if (typeof metric !== 'string') return 'There is no metric. Name it, as cpu.busy.'
  if (typeof instance !== 'string' || instance.length > 400 || /[\0-\x1f]|\p{Surrogate}/u.test(instance))
    return 'The instance is no name of at most 400 letters.'
  const value = typeof fields.value === 'string' && fields.value.trim() !== '' ? Number(fields.value) : fields.value
  const fault = readingFault(metric, instance, value)
  if (fault) return fault
  const at = timeIn(fields.time ?? fields.at)
  if (at === null)
    return 'The time cannot be read. Write it with its zone, as 2026-03-01T08:15:00Z, or in milliseconds since 1970.'
  if (at < from) return `It is older than anything that is kept of readings: ${Math.round((until - from) / day)} days.`
  if (at >= until) return 'Its day is not over yet in UTC. What is of today comes from the agent.'
  return {
    device: String(device),
    at,
    metric: metric as MetricName,
    instance,
    value: rounded(metric as MetricName, value as number),
  }
}
