import Joi from 'joi'
import {
  serviceVerbs,
  type AlertEvent,
  type AlertEventDetail,
  type ClientId,
  type CloseReason,
  type Collector,
  type DeviceId,
  type Evidence,
  type HeldOutcome,
  type Millis,
  type RemediationOutcome,
  type SentencePart,
  type ServiceAction,
  type Severity,
  type Source,
} from '#core'

export type AlertStatus = 'open' | 'taken' | 'closed'

/** The rule as it was when the alert was raised. */
export interface AlertRule {
  name: string
  kind: string
  sentence: SentencePart[]
  sources: Source[]
}

export interface AlertView {
  id: number
  deviceId: DeviceId
  deviceName: string
  clientId: ClientId
  clientName: string
  siteName: string
  /** Of the site. */
  zone: string
  watch: string
  instance: string
  severity: Severity
  status: AlertStatus
  began: Millis
  raisedAt: Millis
  closedAt: Millis | null
  closeReason: CloseReason | null
  takenBy: string | null
  takenById: number | null
  takenAt: Millis | null
  evidence: Evidence | null
  rule: AlertRule
  /** Set when it came out of this window at its end. */
  windowId: number | null
  windowName: string | null
  notes: number
  /**
   * Whether its device has fallen silent since, so that what is told of it was so at `readAt`, when its newest report
   * was made.
   */
  silent: boolean
  readAt: Millis | null
  /** Collectors that fail on its device: what they told last may be so no longer. */
  failing: Collector[]
}

export interface AlertEntry {
  at: Millis
  event: AlertEvent
  detail: AlertEventDetail
  by: string | null
  text: string
}
/** `actions`: what its agent can be asked to do about it, the likeliest first. */
export interface AlertPage extends AlertView {
  entries: AlertEntry[]
  actions: ServiceAction[]
}

/** A post that failed, and that nobody was told of, or not yet. */
interface Untold extends Pick<
  AlertView,
  | 'id'
  | 'deviceId'
  | 'deviceName'
  | 'clientId'
  | 'clientName'
  | 'siteName'
  | 'watch'
  | 'instance'
  | 'severity'
  | 'began'
  | 'evidence'
  | 'rule'
  | 'silent'
  | 'readAt'
  | 'failing'
> {
  endedAt: Millis | null
  /** What it led to. */
  alertId: number | null
}
export interface HeldView extends Untold {
  outcome: HeldOutcome | null
  windowId: number
  windowName: string
  windowEnd: Millis | null
  heldAt: Millis
}

/** One go of an agent at putting something right; `text`: how it went. */
export interface AttemptView extends ServiceAction {
  at: Millis
  state: 'asked' | 'done' | 'failed'
  endedAt: Millis | null
  text: string
}
/** A trouble that an agent is at, or was, before anybody was told. */
export interface RemediationView extends Untold {
  outcome: RemediationOutcome | null
  startedAt: Millis
  attempts: AttemptView[]
}

export interface Looked {
  looked: boolean
}

export interface AlertNote {
  text: string
}
export const alertNoteSchema = Joi.object<AlertNote, true>({ text: Joi.string().trim().min(1).max(4000).required() })
export interface AlertClose {
  reason: string
}
export const alertCloseSchema = Joi.object<AlertClose, true>({ reason: Joi.string().trim().min(3).max(500).required() })
export interface AlertRespond {
  verb: ServiceAction['verb']
}
export const alertRespondSchema = Joi.object<AlertRespond, true>({
  verb: Joi.string()
    .valid(...serviceVerbs)
    .required(),
})
