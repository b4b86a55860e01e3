import {
  evaluate,
  windowEnd,
  type DeviceState,
  type Facts,
  type MaintenanceWindow,
  type Millis,
  type PostTransition,
} from '#core'
import { ProblemError } from '../../http/problems'
import { judgedFacts } from '../../store/currentFacts'
import type { CheckedBatch, CheckedReport, RefusedPart } from './checkBatch'
import { isShared } from './identity'
import type { DeviceContext } from '../types'

/** A moment at which alerts may have to change: something moved, or a window began or ended. */
export interface Moment {
  at: Millis
  transitions: PostTransition[]
  state: DeviceState
}

/** What a batch does to a device, worked out before anything is written. */
export interface Plan {
  stored: CheckedReport[]
  refused: readonly RefusedPart[]
  lastSeq: number
  lastAt: Millis | null
  firstAt: Millis | null
  lost: number
  clockOffset: Millis
  startedAt: Millis | null
  facts: Facts
  state: DeviceState
  moments: Moment[]
  /** Watches that could not be evaluated, with the reason: a fault of ours. */
  broken: ReadonlyMap<string, string>
}

function windowTurned(windows: readonly MaintenanceWindow[], after: Millis, upTo: Millis): boolean {
  return windows.some((window) => {
    const end = windowEnd(window)
    return (window.from > after && window.from <= upTo) || (end !== null && end > after && end <= upTo)
  })
}

/** Entries that a watch may judge: what a log held before its agent came is no news. */
function judged(report: CheckedReport, firstAt: Millis): CheckedReport['events'] {
  return report.events.some((event) => event.old ?? event.at < firstAt)
    ? report.events.filter((event) => !(event.old ?? event.at < firstAt))
    : report.events
}

/**
 * Runs the reports that are new through the evaluation, one after the other. Repeated ones change nothing. A skipped
 * number that the agent may still have is asked for; one that it has lost is counted: what is missing within a batch
 * its agent no longer has, for it sends in order all that it has.
 * @param offered the version of the agent that new machines get; null: there is none
 * @throws ProblemError out-of-order
 */
export function planBatch(
  context: DeviceContext,
  batch: CheckedBatch,
  now: Millis,
  offered: string | null = null,
): Plan {
  let { lastSeq, lastAt, state, firstAt } = context
  let facts = context.facts
  let interval = context.reportedInterval
  let lost = 0
  let lostTold = 0
  let isFirst = true
  const stored: CheckedReport[] = []
  const moments: Moment[] = []
  const broken = new Map<string, string>()
  const shared = isShared(context.identity, now)
  for (const report of batch.reports) {
    if (report.seq <= lastSeq) continue
    if (report.seq > lastSeq + 1) {
      const refusedBefore = batch.refused.some((refusal) => refusal.seq === null)
      if (isFirst && batch.oldest <= lastSeq + 1 && batch.oldest < report.seq && !refusedBefore)
        throw new ProblemError('out-of-order', `Send from report ${lastSeq + 1} on, in order.`)
      lost += report.seq - lastSeq - 1
    }
    isFirst = false
    lastSeq = report.seq
    if ('refused' in report) continue
    // Two reports of one device cannot be at the same time; a clock that was set back must not reorder them.
    const at: Millis = lastAt === null ? report.at : Math.max(report.at, lastAt + 1)
    firstAt ??= at - report.interval
    facts = { ...facts, ...judgedFacts(report.facts) }
    const reasons = Object.fromEntries(report.failed.map((failure) => [failure.collector, failure.reason]))
    const result = evaluate(
      state,
      context.roster,
      {
        at,
        interval: report.interval,
        heardAt: at,
        readings: report.readings,
        facts,
        events: judged(report, firstAt),
        failed: report.failed.map((failure) => failure.collector),
        absent: report.failed.flatMap((failure) => (failure.notHere ? [failure.collector] : [])),
        reasons,
        rested: report.rested,
        shared,
        clockOffset: batch.clockOffset,
        lost: lost - lostTold,
        ...(offered === null ? {} : { offered }),
        zone: context.zone,
        ...(context.days ? { days: context.days.of } : {}),
        ...(context.usual ? { usual: context.usual.of } : {}),
      },
      interval ?? report.interval,
    )
    lostTold = lost
    for (const watch of result.broken) broken.set(watch.watch, watch.reason)
    if (result.transitions.length || (lastAt !== null && windowTurned(context.windows, lastAt, at)))
      moments.push({ at, transitions: result.transitions, state: result.state })
    state = result.state
    interval = report.interval
    lastAt = at
    stored.push(at === report.at ? report : { ...report, at })
  }
  // What came again was put aside the first time.
  const refused = batch.refused.filter((part) => part.seq === null || part.seq > context.lastSeq)
  return {
    stored,
    refused,
    lastSeq,
    lastAt,
    firstAt,
    lost,
    clockOffset: batch.clockOffset,
    startedAt: batch.startedAt,
    facts,
    state,
    moments,
    broken,
  }
}
