import type { Severity } from '../severity'
import type { Millis } from '../units'

/** Alerts of one severity that were open from and until the same times. */
export interface Standing {
  at: Millis
  /** null: still open. */
  until: Millis | null
  severity: Severity
  count: number
}
export interface CrowdStep {
  at: Millis
  critical: number
  warning: number
  notice: number
}

/**
 * How many alerts stood open in each step of a time, by severity: what the watchline shows of many at once. An alert
 * counts in every step that it touches.
 * @param width length of a step
 */
export function crowd(alerts: readonly Standing[], from: Millis, until: Millis, width: Millis): CrowdStep[] {
  const steps = Array.from({ length: Math.ceil((until - from) / width) }, (_, i): CrowdStep => ({
    at: from + i * width,
    critical: 0,
    warning: 0,
    notice: 0,
  }))
  for (const alert of alerts) {
    const first = Math.max(0, Math.floor((alert.at - from) / width))
    const last = Math.min(steps.length - 1, Math.floor(((alert.until ?? until) - from) / width))
    for (let i = first; i <= last; i++) steps[i]![alert.severity] += alert.count
  }
  return steps
}
