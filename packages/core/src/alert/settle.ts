import { urgency, type Severity } from '../severity'
import { hour, type Millis } from '../units'
import type { Evidence } from '../watch'
import type { CloseReason, HeldOutcome, RemediationOutcome } from './codes'

/** What the evaluation says of a post now; null when it is no longer watched. */
export interface PostStanding {
  level: Severity | null
  began: Millis | null
  evidence: Evidence | null
}

export interface OpenAlert {
  severity: Severity
  began: Millis
}
export interface HeldRecord {
  /** The time of a window that holds it. */
  occurrence: number
  severity: Severity
  began: Millis
}
/** Something is tried before anybody is told. */
export interface Remediation {
  severity: Severity
  began: Millis
}
/** An alert that a person closed although the post still failed: it stays closed until it is well, or worse. */
export interface Dismissal {
  began: Millis
  severity: Severity
  /** null: it stands in the books of the client that the device belonged to then. */
  closedAt: Millis | null
}

/** What fails again within so long after somebody closed its alert is the same trouble: that one opens again. */
export const reopenedWithin: Millis = hour

export type AlertAction =
  | { do: 'raise'; severity: Severity; began: Millis; evidence: Evidence | null; afterMaintenance: boolean }
  | { do: 'reopen'; severity: Severity; began: Millis; evidence: Evidence | null }
  | { do: 'change'; severity: Severity; evidence: Evidence | null }
  | { do: 'close'; because: Extract<CloseReason, 'cleared' | 'unwatched'> }
  | {
      do: 'hold'
      windowId: number
      occurrence: number
      severity: Severity
      began: Millis
      evidence: Evidence | null
    }
  | { do: 'change held'; severity: Severity; evidence: Evidence | null }
  | { do: 'end held'; outcome: HeldOutcome }
  | { do: 'remediate'; severity: Severity; began: Millis; evidence: Evidence | null }
  | { do: 'change remediation'; severity: Severity; evidence: Evidence | null }
  | { do: 'end remediation'; outcome: RemediationOutcome }

export interface Situation {
  standing: PostStanding | null
  /** The window that covers the post now, and which of its times. */
  cover: { id: number; occurrence: number } | null
  alert: OpenAlert | null
  held: HeldRecord | null
  /** The last alert of the post, if a person closed it. */
  dismissed: Dismissal | null
  remediation: Remediation | null
  /** There is still something to try, or to wait for, before a person is told. */
  mayRemediate: boolean
  /** The moment as of which it is looked at. */
  at: Millis
}

/**
 * What has to happen so that alert and held record of one post agree with its standing and its cover. Called after any
 * change of either, it does nothing where they agree already. A covered post never raises; an alert that was open
 * before the window stays; when cover ends, what still fails is raised with its true beginning. Nothing is tried while
 * a window covers the post, because somebody is at work there, and nothing once a person was told.
 */
export function settle({
  standing,
  cover,
  alert,
  held,
  dismissed,
  remediation,
  mayRemediate,
  at,
}: Situation): AlertAction[] {
  const actions: AlertAction[] = []
  if (standing === null || standing.level === null) {
    const because = standing === null ? 'unwatched' : 'cleared'
    if (alert) actions.push({ do: 'close', because })
    if (held) actions.push({ do: 'end held', outcome: because })
    if (remediation) actions.push({ do: 'end remediation', outcome: because })
    return actions
  }
  const { level, evidence } = standing
  const began = standing.began!
  if (alert) {
    if (remediation) actions.push({ do: 'end remediation', outcome: 'raised' })
    if (held) actions.push({ do: 'end held', outcome: 'raised' })
    if (alert.severity !== level) actions.push({ do: 'change', severity: level, evidence })
    return actions
  }
  if (cover) {
    if (held && held.occurrence === cover.occurrence) {
      if (held.severity !== level) actions.push({ do: 'change held', severity: level, evidence })
      return actions
    }
    if (remediation) actions.push({ do: 'end remediation', outcome: 'held' })
    if (held) actions.push({ do: 'end held', outcome: 'passed-on' })
    else if (isDismissed(dismissed, began, level)) return actions
    actions.push({
      do: 'hold',
      windowId: cover.id,
      occurrence: cover.occurrence,
      severity: level,
      began: held?.began ?? remediation?.began ?? began,
      evidence,
    })
    return actions
  }
  if (!held && isDismissed(dismissed, began, level)) {
    if (remediation) actions.push({ do: 'end remediation', outcome: 'raised' })
    return actions
  }
  if (mayRemediate && !held) {
    if (!remediation) actions.push({ do: 'remediate', severity: level, began, evidence })
    else if (remediation.severity !== level) actions.push({ do: 'change remediation', severity: level, evidence })
    return actions
  }
  if (remediation) actions.push({ do: 'end remediation', outcome: 'raised' })
  if (held) actions.push({ do: 'end held', outcome: 'raised' })
  const since = held?.began ?? remediation?.began ?? began
  if (dismissed && dismissed.closedAt !== null && at - dismissed.closedAt < reopenedWithin)
    actions.push({ do: 'reopen', severity: level, began: since, evidence })
  else actions.push({ do: 'raise', severity: level, began: since, evidence, afterMaintenance: held !== null })
  return actions
}

function isDismissed(dismissed: Dismissal | null, began: Millis, level: Severity): boolean {
  return dismissed !== null && dismissed.began === began && urgency(level) <= urgency(dismissed.severity)
}
