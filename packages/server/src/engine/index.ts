export {
  addressees,
  calloutJobs,
  calloutSettings,
  lookAtAll,
  mailPasswordContext,
  onCallOf,
  MailLine,
  planOf,
  readMailSettings,
  readRoll,
  readStories,
  rulesInForce,
  sendEvent,
  startsOf,
  testEvent,
  webhookContext,
  type Addressee,
  type Roll,
  type RuleInForce,
  type Sending,
  type ToldAlert,
} from './callout'
export { loadContext } from './context'
export { recordService } from './remediation/remediation'
export { askAgent, triedText } from './remediation/attempts'
export type { Line } from './reports/changeWaiters'
export { Engine, readDeviceKey } from './reports/ingest'
export { rosterMark, settingsOf } from './reports/settings'
export { bumpVersions, reevaluate, reevaluateAll } from './reevaluate'
export { engineJobs, startTimers, type Job } from './timers'
export { advanceWindows, devicesOf, extendHorizons } from './windows'
