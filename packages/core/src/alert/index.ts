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
export { beginsTogether, companions, type Companion } from './companions'
export { crowd, type CrowdStep, type Standing } from './crowd'
export { fallsTogether, fewestTogether, siteSilence, type SiteAgent, type SiteSilence } from './site'
export {
  flipsFrom,
  flipsAt,
  flipsJudged,
  flipsKept,
  settle,
  steadyAtLeast,
  steadyFor,
  type AlertAction,
  type Dismissal,
  type HeldRecord,
  type Remediation,
  type OpenAlert,
  type PastAlert,
  type PostStanding,
  type Situation,
} from './settle'
export { longestReturn, returnsWithin, silenceCause, type SilentDevice } from './upstream'
export { why, type PostPast, type WhyCode, type WhyStep } from './why'
