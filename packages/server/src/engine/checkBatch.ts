import { batchLimits, logEventSchema, protocolVersion, reportBatchSchema, reportSchema, type CollectorFailure, type Refusal, type Report, type ReportBatch } from '#contract'
import { day, readingFault, second, type Collector, type Facts, type LogEvent, type Millis, type Reading } from '#core'
import { ProblemError } from '../http/problems'

/** A report that passed every check, its times corrected to the server's clock. */
export interface CheckedReport {
  seq: number
  at: Millis
  interval: Millis
  late: boolean
  readings: Reading[]
  facts: Facts
  events: LogEvent[]
  failed: CollectorFailure[]
  rested: Collector[]
  roster: string | null
}

export interface CheckedBatch {
  oldest: number
  clockOffset: Millis
  /** In order of sequence number; refused ones are missing, but count as seen. */
  reports: (CheckedReport | { seq: number; refused: true })[]
  refused: Refusal[]
}

/** A clock is called off from here on; less is delay on the way. */
const clockTolerance = 5 * second
/** How far ahead of the batch's own sending time an entry may be. */
const aheadTolerance = 2 * second
const oldestKept = 30 * day

/**
 * The device's clock minus ours. A steady offset is kept as it is, so that corrected times do not shake with the network.
 */
export function clockOffset(sentAt: Millis, now: Millis, before: Millis): Millis {
  const seen = sentAt - now
  if (Math.abs(seen) <= clockTolerance) return 0
  return Math.abs(seen - before) <= clockTolerance ? before : seen
}

/** @throws ProblemError when the batch as a whole cannot be read. */
export function checkEnvelope(body: unknown): ReportBatch {
  const version = (body as { version?: unknown } | null)?.version
  if (version !== undefined && version !== protocolVersion) throw new ProblemError('wrong-version')
  const { value, error } = reportBatchSchema.validate(body ?? null, { convert: false })
  if (error) throw new ProblemError('invalid', error.message, error.details.map((one) => ({ at: one.path.join('.'), message: one.message })))
  return value
}

function checkEvents(report: Report, pointer: string, offset: Millis, at: Millis, refuse: (pointer: string, code: string, detail: string) => void): LogEvent[] {
  const events: LogEvent[] = []
  report.events?.forEach((event, i) => {
    const { error } = logEventSchema.validate(event, { convert: false })
    if (error) refuse(`${pointer}/events/${i}`, 'event-not-valid', error.message)
    // An entry cannot be younger than the report that carries it.
    else events.push({ ...event, text: event.text.replaceAll('\0', ''), at: Math.min(event.at - offset, at) })
  })
  return events
}

function checkReadings(report: Report, pointer: string, refuse: (pointer: string, code: string, detail: string) => void): Reading[] {
  const readings: Reading[] = []
  const seen = new Set<string>()
  report.readings.forEach((entry: unknown, i) => {
    const here = `${pointer}/readings/${i}`
    if (!Array.isArray(entry) || typeof entry[0] !== 'string' || typeof entry[1] !== 'string' || entry[1].length > 400)
      return refuse(here, 'reading-not-valid', 'A reading is [metric, instance, value].')
    const [metric, instance, value] = entry as [string, string, unknown]
    const fault = readingFault(metric, instance, value)
    if (fault) return refuse(here, 'reading-not-valid', fault)
    if (seen.has(`${metric}|${instance}`)) return refuse(here, 'reading-twice', `“${metric}” of “${instance}” stands twice in this report; the first was kept.`)
    seen.add(`${metric}|${instance}`)
    readings.push([metric, instance, value] as Reading)
  })
  return readings
}

/**
 * Checks a batch part by part: what is wrong is refused with its place and reason, the rest is kept.
 * @param before clock offset of this device so far
 */
export function checkBatch(batch: ReportBatch, now: Millis, before: Millis): CheckedBatch {
  const offset = clockOffset(batch.sentAt, now, before)
  const refused: Refusal[] = []
  const reports: CheckedBatch['reports'] = []
  batch.reports.forEach((raw: unknown, i) => {
    const pointer = `/reports/${i}`
    const seq = (raw as { seq?: unknown } | null)?.seq
    const known = Number.isSafeInteger(seq) && (seq as number) >= 1 ? (seq as number) : null
    const refuse = (at: string, code: string, detail: string) => void refused.push({ seq: known, pointer: at, code, detail })
    const refuseAll = (code: string, detail: string) => {
      refuse(pointer, code, detail)
      if (known !== null) reports.push({ seq: known, refused: true })
    }
    const { error } = reportSchema.validate(raw, { convert: false })
    if (error) return refuseAll('report-not-valid', error.message)
    const report = raw as Report
    if (report.at > batch.sentAt + aheadTolerance) return refuseAll('time-in-the-future', 'The report is dated later than the moment it was sent, by the same clock.')
    const at = Math.min(report.at - offset, now)
    if (now - at > oldestKept) return refuseAll('too-old', 'Readings older than 30 days are not taken any more.')
    reports.push({
      seq: report.seq,
      at,
      interval: report.interval,
      late: now - at > 2 * report.interval + 10 * second,
      readings: checkReadings(report, pointer, refuse),
      facts: report.facts ?? {},
      events: checkEvents(report, pointer, offset, at, refuse),
      failed: report.failed ?? [],
      rested: report.rested ?? [],
      roster: report.roster ?? null,
    })
  })
  reports.sort((a, b) => a.seq - b.seq)
  if (refused.length > batchLimits.readings) refused.length = batchLimits.readings
  return { oldest: batch.oldest, clockOffset: offset, reports, refused }
}
