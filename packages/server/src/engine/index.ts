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
  readSubjects,
  rulesInForce,
  sendEvent,
  startsOf,
  testEvent,
  webhookContext,
  type Addressee,
  type Roll,
  type RuleInForce,
  type Sending,
  type Subject,
  type Told,
} from './callout'
export { loadContext } from './context'
export { judgeHistory } from './judgeHistory'
export { recordService } from './remediation/remediation'
export { quietProbe, takeLooks } from './probes'
export { askAgent, triedText } from './remediation/attempts'
export {
  addRequestEntry,
  announceRequest,
  attachmentOf,
  clientOf,
  openMailPort,
  takeMail,
  type MailPort,
  type NewRequestEntry,
} from './requests'
export type { Line } from './reports/changeWaiters'
export { Engine, readDeviceKey } from './reports/ingest'
export { rosterMark, settingsOf } from './reports/settings'
export { bumpVersions, reevaluate, reevaluateAll } from './reevaluate'
export { engineJobs, startTimers, type Job } from './timers'
export { advanceWindows, devicesOf, extendHorizons } from './windows'
