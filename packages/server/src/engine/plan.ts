import { evaluate, windowEnd, type DeviceState, type Facts, type MaintenanceWindow, type Millis, type PostTransition } from '#core'
import { ProblemError } from '../http/problems'
import type { CheckedBatch, CheckedReport } from './checkBatch'
import type { DeviceContext } from './types'

/** A moment at which alerts may have to change: something moved, or a window began or ended. */
export interface Moment { at: Millis; transitions: PostTransition[]; state: DeviceState }

/** What a batch does to a device, worked out before anything is written. */
export interface Plan {
  stored: CheckedReport[]
  lastSeq: number
  lastAt: Millis | null
  lost: number
  clockOffset: Millis
  facts: Facts
  state: DeviceState
  moments: Moment[]
}

function windowTurned(windows: readonly MaintenanceWindow[], after: Millis, upTo: Millis): boolean {
  return windows.some((window) => {
    const end = windowEnd(window)
    return (window.from > after && window.from <= upTo) || (end !== null && end > after && end <= upTo)
  })
}

/**
 * Runs the reports that are new through the evaluation, one after the other. Repeated ones change nothing. A skipped
 * number that the agent still has is asked for; one that it has lost is counted.
 * @throws ProblemError out-of-order
 */
export function planBatch(context: DeviceContext, batch: CheckedBatch): Plan {
  let { lastSeq, lastAt, state } = context
  let facts = context.facts
  let interval = context.reportedInterval
  let lost = 0
  const stored: CheckedReport[] = []
  const moments: Moment[] = []
  for (const report of batch.reports) {
    if (report.seq <= lastSeq) continue
    if (report.seq > lastSeq + 1) {
      const refusedBefore = batch.refused.some((one) => one.seq === null)
      if (batch.oldest <= lastSeq + 1 && !refusedBefore) throw new ProblemError('out-of-order', `Send from report ${lastSeq + 1} on, in order.`)
      lost += report.seq - lastSeq - 1
    }
    lastSeq = report.seq
    if ('refused' in report) continue
    // Two reports of one device cannot be at the same time; a clock that was set back must not reorder them.
    const at: Millis = lastAt === null ? report.at : Math.max(report.at, lastAt + 1)
    facts = { ...facts, ...report.facts }
    const result = evaluate(state, context.roster,
      { at, interval: report.interval, heardAt: at, readings: report.readings, facts, events: report.events, failed: report.failed.map((one) => one.collector), rested: report.rested, zone: context.zone },
      interval ?? report.interval)
    if (result.transitions.length || (lastAt !== null && windowTurned(context.windows, lastAt, at))) moments.push({ at, transitions: result.transitions, state: result.state })
    state = result.state
    interval = report.interval
    lastAt = at
    stored.push(at === report.at ? report : { ...report, at })
  }
  return { stored, lastSeq, lastAt, lost, clockOffset: batch.clockOffset, facts, state, moments }
}
