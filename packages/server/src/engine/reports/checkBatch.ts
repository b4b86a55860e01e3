import {
  factSchemas,
  isOrdinaryBatch,
  isOrdinaryReport,
  logEventSchema,
  protocolVersion,
  reportBatchSchema,
  reportSchema,
  topSchema,
  type CollectorFailure,
  type Refusal,
  type Report,
  type ReportBatch,
} from '#contract'
import {
  day,
  minute,
  readingFault,
  rounded,
  second,
  type Collector,
  type Facts,
  type FactSubject,
  type LogEvent,
  type MetricName,
  type Millis,
  type Reading,
  type TopProcesses,
  type Updates,
} from '#core'
import { oldestKept, oldestReport } from '../../db'
import { ProblemError } from '../../http/problems'

/** A report that passed every check, its times corrected to the server's clock. */
export interface CheckedReport {
  seq: number
  at: Millis
  interval: Millis
  late: boolean
  readings: Reading[]
  facts: Facts
  events: LogEvent[]
  /** Log entries that the agent left out, and those that were older than is kept. */
  leftOut: number
  tooOld: number
  top: TopProcesses | null
  failed: CollectorFailure[]
  rested: Collector[]
  roster: string | null
  raw: unknown
}

/** One that was not kept; its number counts as seen. */
export interface RefusedReport {
  seq: number
  refused: true
}

/** A part of a batch, or all of a report, that was refused, with what was sent. */
export interface RefusedPart extends Refusal {
  body: unknown
}

export interface CheckedBatch {
  oldest: number
  clockOffset: Millis
  /** When the machine was started, by our clock; null: its agent does not tell. */
  startedAt: Millis | null
  /** In order of sequence number; refused ones are missing, but count as seen. */
  reports: (CheckedReport | RefusedReport)[]
  refused: RefusedPart[]
}

/** A clock is called off from here on; less is delay on the way. */
const clockTolerance = 5 * second

/**
 * The device's clock minus ours. A steady offset is kept as it is, so that corrected times do not shake with the
 * network.
 */
export function clockOffset(sentAt: Millis, now: Millis, before: Millis): Millis {
  const seen = sentAt - now
  if (Math.abs(seen) <= clockTolerance) return 0
  return Math.abs(seen - before) <= clockTolerance ? before : seen
}

/** @throws ProblemError when the batch as a whole cannot be read. */
export function checkEnvelope(body: unknown): ReportBatch {
  if (isOrdinaryBatch(body)) return body
  const version = (body as { version?: unknown } | null)?.version
  if (version !== undefined && version !== protocolVersion) throw new ProblemError('wrong-version')
  const { value, error } = reportBatchSchema.validate(body ?? null, { convert: false })
  if (error)
    throw new ProblemError(
      'invalid',
      error.message,
      error.details.map((detail) => ({ at: detail.path.join('.'), message: detail.message })),
    )
  return value
}

/**
 * When a report was made, by our clock. Where machine and start of it are the same as of the sending, the time between
 * the two is known by a clock that nobody sets; else the device's own clock says it, less what that is off by now. One
 * that is dated later than it was sent, because the clock was set back meanwhile, was made at the latest when it was
 * sent.
 */
function madeAt(report: Report, batch: ReportBatch, offset: Millis, now: Millis): Millis {
  if (
    report.boot !== undefined &&
    report.boot === batch.boot &&
    report.up !== undefined &&
    batch.up !== undefined &&
    report.up <= batch.up
  )
    return Math.round(now - (batch.up - report.up))
  return Math.min(report.at - offset, now)
}

/**
 * What the device's clock was ahead of ours when a report was made. By the time on the way alone nothing moves: what it
 * tells of stays at the moment that the device names.
 */
function shiftOf(report: Report, at: Millis, offset: Millis): Millis {
  const seen = report.at - at
  return report.boot === undefined || Math.abs(seen - offset) <= clockTolerance ? offset : seen
}

type Refuse = (pointer: string, code: string, detail: string, body: unknown) => void

/** @param shift what the device's clock was ahead of ours when the report was made */
function checkEvents(
  report: Report,
  pointer: string,
  shift: Millis,
  at: Millis,
  now: Millis,
  refuse: Refuse,
): { events: LogEvent[]; tooOld: number } {
  const events: LogEvent[] = []
  let tooOld = 0
  report.events?.forEach((event, i) => {
    const { error } = logEventSchema.validate(event, { convert: false })
    if (error) return refuse(`${pointer}/events/${i}`, 'event-not-valid', error.message, event)
    // An entry cannot be younger than the report that carries it.
    const written = Math.min(event.at - shift, at)
    if (now - written > oldestKept) tooOld++
    else events.push({ ...event, at: written })
  })
  return { events, tooOld }
}

function checkReadings(report: Report, pointer: string, refuse: Refuse): Reading[] {
  const readings: Reading[] = []
  const seen = new Set<string>()
  report.readings.forEach((entry: unknown, i) => {
    const here = `${pointer}/readings/${i}`
    if (!Array.isArray(entry) || typeof entry[0] !== 'string' || typeof entry[1] !== 'string' || entry[1].length > 400)
      return refuse(here, 'reading-not-valid', 'A reading is [metric, instance, value].', entry)
    const [metric, instance, value] = entry as [string, string, unknown]
    const fault = readingFault(metric, instance, value)
    if (fault) return refuse(here, 'reading-not-valid', fault, entry)
    if (seen.has(`${metric}|${instance}`))
      return refuse(
        here,
        'reading-twice',
        `“${metric}” of “${instance}” stands twice in this report; the first was kept.`,
        entry,
      )
    seen.add(`${metric}|${instance}`)
    // As it will be kept: what is looked at later is what was judged.
    readings.push([metric as MetricName, instance, rounded(metric as MetricName, value as number)])
  })
  return readings
}

/** @param shift what the device's clock was ahead of ours when the report was made */
function checkFacts(report: Report, pointer: string, shift: Millis, refuse: Refuse): Facts {
  const facts: Facts = {}
  for (const [subject, value] of Object.entries(report.facts ?? {})) {
    const schema = Object.hasOwn(factSchemas, subject) ? factSchemas[subject as FactSubject] : null
    if (!schema) {
      refuse(
        `${pointer}/facts/${subject}`,
        'fact-not-valid',
        `There is no fact “${subject}”. Update the server.`,
        value,
      )
      continue
    }
    const checked = schema.validate(value, { convert: false })
    if (checked.error) refuse(`${pointer}/facts/${subject}`, 'fact-not-valid', checked.error.message, value)
    else Object.assign(facts, { [subject]: checked.value as unknown })
  }
  return correctedFacts(facts, shift)
}

/** Times of services by our clock, by which they are judged. */
function correctedFacts(facts: Facts, shift: Millis): Facts {
  if (shift === 0) return facts
  const ours = (at: Millis) => Math.max(0, at - shift)
  const { updates, waiting } = facts
  // They wait for days. By a shift that is never the same to the second, all of them would change with each word.
  const isFarOff = Math.abs(shift) >= minute
  return {
    ...facts,
    ...(updates && isFarOff ? { updates: correctedUpdates(updates, ours) } : {}),
    ...(waiting && isFarOff ? { waiting: waiting.map((update) => ({ ...update, since: ours(update.since) })) } : {}),
    ...(facts.services
      ? {
          services: facts.services.map((service) =>
            service.since === undefined ? service : { ...service, since: ours(service.since) },
          ),
        }
      : {}),
    ...(facts.starts
      ? {
          starts: facts.starts.map(({ service, looks }) => ({
            service,
            looks: looks.map(({ at, count }) => ({ at: ours(at), count })),
          })),
        }
      : {}),
  }
}

function correctedUpdates(updates: Updates, ours: (at: Millis) => Millis): Updates {
  const times = [
    'oldestSecurityAt',
    'oldestOtherAt',
    'oldestHeldAt',
    'oldestLeftoverAt',
    'restartSince',
    'checkedAt',
    'listsAt',
    'installedAt',
  ] as const
  const corrected = { ...updates }
  for (const name of times) {
    const at = updates[name]
    if (typeof at === 'number') Object.assign(corrected, { [name]: ours(at) })
  }
  if (updates.refresh) corrected.refresh = { ...updates.refresh, since: ours(updates.refresh.since) }
  if (updates.outdated)
    corrected.outdated = updates.outdated.map((program) => ({ ...program, since: ours(program.since) }))
  return corrected
}

function checkTop({ top }: Report, pointer: string, refuse: Refuse): TopProcesses | null {
  if (top === undefined) return null
  const { error } = topSchema.validate(top, { convert: false })
  if (error) refuse(`${pointer}/top`, 'top-not-valid', error.message, top)
  return error ? null : top
}

/** More refusals than these are not told one by one: an agent that sends such has one fault, not many. */
const mostRefusals = 100

/**
 * Checks a batch part by part: what is wrong is refused with its place and reason, the rest is kept.
 * @param before clock offset of this device so far
 */
export function checkBatch(batch: ReportBatch, now: Millis, before: Millis): CheckedBatch {
  const offset = clockOffset(batch.sentAt, now, before)
  const refused: RefusedPart[] = []
  const reports: CheckedBatch['reports'] = []
  batch.reports.forEach((raw: unknown, i) => {
    const pointer = `/reports/${i}`
    const seq = (raw as { seq?: unknown } | null)?.seq
    const known = Number.isSafeInteger(seq) && (seq as number) >= 1 ? (seq as number) : null
    const refuse: Refuse = (at, code, detail, body) =>
      void refused.push({ seq: known, pointer: at, code, detail, body })
    const refuseAll = (code: string, detail: string) => {
      refuse(pointer, code, detail, raw)
      if (known !== null) reports.push({ seq: known, refused: true })
    }
    const error = isOrdinaryReport(raw) ? undefined : reportSchema.validate(raw, { convert: false }).error
    if (error) return refuseAll('report-not-valid', error.message)
    const report = raw as Report
    const at = madeAt(report, batch, offset, now)
    if (now - at > oldestReport) return refuseAll('too-old', 'Reports older than 13 days are not taken any more.')
    const shift = shiftOf(report, at, offset)
    reports.push({
      seq: report.seq,
      at,
      interval: report.interval,
      late: now - at > 2 * report.interval + 10 * second,
      readings: checkReadings(report, pointer, refuse),
      facts: checkFacts(report, pointer, shift, refuse),
      ...checkEvents(report, pointer, shift, at, now, refuse),
      leftOut: report.leftOut ?? 0,
      top: checkTop(report, pointer, refuse),
      failed: report.failed ?? [],
      rested: report.rested ?? [],
      roster: report.roster ?? null,
      raw,
    })
  })
  reports.sort((a, b) => a.seq - b.seq)
  if (refused.length > mostRefusals) refused.length = mostRefusals
  return { oldest: batch.oldest, clockOffset: offset, startedAt: startedAt(batch, now), reports, refused }
}

/** No machine has been up for so long; its agent would not be one of ours. */
const longestUp = 50 * 366 * day

function startedAt({ up }: ReportBatch, now: Millis): Millis | null {
  return up === undefined || up > longestUp ? null : Math.round(now - up)
}
