export {
  alertEvents,
  closeReasons,
  heldOutcomes,
  remediationOutcomes,
  type AlertEvent,
  type AlertEventDetail,
  type CloseReason,
  type HeldOutcome,
  type RemediationOutcome,
} from './codes'
export { crowd, type CrowdStep, type Standing } from './crowd'
export {
  settle,
  type AlertAction,
  type Dismissal,
  type HeldRecord,
  type Remediation,
  type OpenAlert,
  type PostStanding,
  type Situation,
} from './settle'
