import type { ServiceAction } from '../watch'
import type { Severity } from '../severity'

/** Why an alert was closed. `unwatched`: no watch is about that post any more. */
export const closeReasons = ['cleared', 'by-hand', 'unwatched', 'retired', 'merged', 'history'] as const
export type CloseReason = (typeof closeReasons)[number]

/** What became of a post that a window held back. `raised`: a person was told; `passed-on`: another window holds it. */
export const heldOutcomes = ['raised', 'cleared', 'passed-on', 'unwatched', 'retired', 'merged'] as const
export type HeldOutcome = (typeof heldOutcomes)[number]

/** How a remediation ended. `raised`: a person was told; `held`: a window began to cover the post. */
export const remediationOutcomes = ['raised', 'cleared', 'held', 'unwatched', 'retired', 'merged'] as const
export type RemediationOutcome = (typeof remediationOutcomes)[number]

/** What happens to an alert, each with what belongs to it. */
export const alertEvents = [
  'raised',
  'raised-after-maintenance',
  'severity-changed',
  'closed',
  'taken',
  'given-back',
  'note',
  'asked',
  'asked-again',
  'attempted',
  'handed-over',
  'declined',
  'hidden',
  'shown',
  'reopened',
  'well',
  'failed-again',
  'promised',
] as const
export type AlertEvent = (typeof alertEvents)[number]

/**
 * `from`, `to`: of *severity-changed*; `to` also of what raised or reopened it, where it began with that. `isFlip`: of
 * *reopened*, it stays with whoever had it. `reason`: of *closed*. `person`, `personId`: whom it was *handed-over* to.
 * `until`: of *hidden* and *promised*. `verb`, `service`: of *asked* and *attempted*;
 * `succeeded`: of *attempted*.
 */
export interface AlertEventDetail extends Partial<ServiceAction> {
  from?: Severity
  to?: Severity
  reason?: CloseReason
  isFlip?: boolean
  person?: string
  personId?: number
  until?: number
  succeeded?: boolean
}
