import { batchLimits, protocolVersion, type Report, type ReportBatch } from './index'

const isTime = (value: unknown) => Number.isInteger(value) && (value as number) >= 0 && (value as number) <= lastTime
const isCount = (value: unknown) => Number.isSafeInteger(value) && (value as number) >= 1
const isMark = (value: unknown) => typeof value === 'string' && value.length > 0 && value.length <= 100
const isSpan = (value: unknown) => typeof value === 'number' && value >= 0 && value <= Number.MAX_SAFE_INTEGER
const isList = (most: number) => (value: unknown) => Array.isArray(value) && value.length <= most
const isEmptyList = isList(0)

/** The end of the year 9999, as in the schemas. */
const lastTime = 253_402_300_799_999

type Checks<T> = { readonly [Name in keyof T]-?: (value: unknown) => boolean }

const batch: Checks<ReportBatch> = {
  version: (value) => value === protocolVersion,
  sentAt: isTime,
  oldest: isCount,
  reports: (value) => isList(batchLimits.reports)(value) && !isEmptyList(value),
  up: isSpan,
  boot: isMark,
  instance: isMark,
  machine: isMark,
}
const report: Checks<Report> = {
  seq: isCount,
  at: isTime,
  interval: (value) => Number.isInteger(value) && (value as number) >= 1000 && (value as number) <= 86_400_000,
  readings: isList(batchLimits.readings),
  facts: (value) => typeof value === 'object' && value !== null && !Array.isArray(value),
  events: isList(batchLimits.events),
  roster: (value) => typeof value === 'string' && value.length <= 40,
  rested: isEmptyList,
  failed: isEmptyList,
  up: isSpan,
  boot: isMark,
  leftOut: (value) => value === 0,
  top: (value) => typeof value === 'object' && value !== null && !Array.isArray(value),
}

function passes(value: unknown, checks: Readonly<Record<string, (value: unknown) => boolean>>): boolean {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return false
  for (const name in value)
    if (!Object.hasOwn(checks, name) || !checks[name]!((value as Record<string, unknown>)[name])) return false
  return true
}
const has = (value: object, ...names: string[]) => names.every((name) => name in value)

/**
 * Whether a batch is certainly as `reportBatchSchema` wants it, found out at a twentieth of its price. False says
 * nothing: then the schema decides, and says why. The two are held together by a test.
 */
export function isOrdinaryBatch(value: unknown): value is ReportBatch {
  return passes(value, batch) && has(value as object, 'version', 'sentAt', 'oldest', 'reports')
}

/** The same for a report and `reportSchema`. */
export function isOrdinaryReport(value: unknown): value is Report {
  return passes(value, report) && has(value as object, 'seq', 'at', 'interval', 'readings')
}
