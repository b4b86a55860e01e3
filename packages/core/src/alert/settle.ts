import { urgency, type Severity } from '../severity'
import { day, hour, minute, type Millis } from '../units'
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
  /** When its post began to fail, if it flips, the oldest first: it is not closed before that has been steady. */
  flips: readonly Millis[]
  /** Of one that flips: since when its post is well; null: it fails. */
  wellSince: Millis | null
}
/** One that cleared by itself. */
export interface PastAlert {
  /** When its post began to fail, each time. */
  beganAt: readonly Millis[]
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

/** A post that begins to fail so many times within so long flips. Common practice, no source. */
export const flipsFrom = [
  { times: 3, within: hour },
  { times: 4, within: day },
] as const
/** What says whether a post flips, and for how long it has to be steady: so many of its last failures. */
export const flipsJudged = Math.max(...flipsFrom.map(({ times }) => times))

/** Of a post that flips, when it began to fail the last so many times. */
export const flipsKept = 50

/** One that flips has to be well for this long at least, and for no longer than the other. */
export const steadyAtLeast: Millis = 30 * minute
export const steadyAtMost: Millis = 12 * hour
/**
 * For how long what flips has to be well: twice the longest time between two of its last failures, so that one that
 * stops every five hours is one trouble as well as one that stops every five minutes. Common practice, no source.
 * @param flips when it began to fail, oldest first
 */
export function steadyFor(flips: readonly Millis[]): Millis {
  const last = flips.slice(-flipsJudged)
  const longest = Math.max(0, ...last.slice(1).map((at, i) => at - last[i]!))
  return Math.min(Math.max(2 * longest, steadyAtLeast), steadyAtMost)
}

export type AlertAction =
  | { do: 'raise'; severity: Severity; began: Millis; evidence: Evidence | null; afterMaintenance: boolean }
  | { do: 'reopen'; severity: Severity; began: Millis; evidence: Evidence | null }
  | { do: 'flip'; severity: Severity; began: Millis; evidence: Evidence | null; beganAt: Millis[] }
  | { do: 'well' }
  | { do: 'fail again'; began: Millis; evidence: Evidence | null }
  | { do: 'change'; severity: Severity; evidence: Evidence | null }
  /** `at`: when it was over, where that was before it was looked at. */
  | { do: 'close'; because: Extract<CloseReason, 'cleared' | 'unwatched'>; at?: Millis }
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
  /** Its last alerts that cleared by themselves, the newest first, back to one that ended otherwise. */
  past: readonly PastAlert[]
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
 * a window covers the post, because somebody is at work there, and nothing once a person was told. What flips keeps its
 * alert, which is opened again instead of another being raised, and closed when it has been steady.
 */
export function settle(situation: Situation): AlertAction[] {
  const { standing, cover, alert, held, dismissed, past, remediation, mayRemediate, at } = situation
  const actions: AlertAction[] = []
  if (standing === null || standing.level === null) {
    const because = standing === null ? 'unwatched' : 'cleared'
    if (alert && (because === 'unwatched' || !alert.flips.length)) actions.push({ do: 'close', because })
    else if (alert?.wellSince === null) actions.push({ do: 'well' })
    else if (alert && steadyAt(alert)! <= at) actions.push({ do: 'close', because, at: steadyAt(alert)! })
    if (held) actions.push({ do: 'end held', outcome: because })
    if (remediation) actions.push({ do: 'end remediation', outcome: because })
    return actions
  }
  const { level, evidence } = standing
  const began = standing.began!
  const steady = alert && steadyAt(alert)
  // It had been over before this began, and nobody looked meanwhile.
  if (alert && steady !== null && steady <= began)
    return [
      { do: 'close', because: 'cleared', at: steady },
      ...settle({ ...situation, alert: null, past: [{ beganAt: alert.flips }, ...past].slice(0, flipsJudged - 1) }),
    ]
  if (alert) {
    if (remediation) actions.push({ do: 'end remediation', outcome: 'raised' })
    if (held) actions.push({ do: 'end held', outcome: 'raised' })
    if (alert.wellSince !== null) actions.push({ do: 'fail again', began, evidence })
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
  const beganAt = flipsAt(past, since)
  if (dismissed && dismissed.closedAt !== null && at - dismissed.closedAt < reopenedWithin)
    actions.push({ do: 'reopen', severity: level, began: since, evidence })
  else if (!held && beganAt) actions.push({ do: 'flip', severity: level, began: since, evidence, beganAt })
  else actions.push({ do: 'raise', severity: level, began: since, evidence, afterMaintenance: held !== null })
  return actions
}

/** When what flips and is well counts as well; null: it fails. */
const steadyAt = ({ flips, wellSince }: OpenAlert): Millis | null =>
  wellSince === null ? null : wellSince + steadyFor(flips)

function isDismissed(dismissed: Dismissal | null, began: Millis, level: Severity): boolean {
  return dismissed !== null && dismissed.began === began && urgency(level) <= urgency(dismissed.severity)
}

/** When it began to fail within a day before a time; oldest first. */
function lately(past: readonly PastAlert[], began: Millis): Millis[] {
  // One that flipped counts the beginnings of those before it, too.
  return [...new Set(past.flatMap(({ beganAt }) => beganAt))]
    .filter((each) => each < began && began - each <= Math.max(...flipsFrom.map(({ within }) => within)))
    .toSorted((a, b) => a - b)
}

/**
 * Whether a post that begins to fail flips.
 * @param past its last alerts that cleared by themselves, the newest first, `flipsJudged` - 1 of them
 * @returns when it began to fail, the last time included, oldest first; null: it does not flip
 */
export function flipsAt(past: readonly PastAlert[], began: Millis): Millis[] | null {
  const before = lately(past, began)
  const flips = flipsFrom.some(
    ({ times, within }) => before.filter((each) => began - each <= within).length + 1 >= times,
  )
  return flips ? [...before, began] : null
}
