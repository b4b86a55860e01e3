import Joi from 'joi'
import { aNumber, aTime } from '../bounds'
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
  type LevelLine,
  type Millis,
  type RemediationOutcome,
  type SentencePart,
  type ServiceAction,
  type Severity,
  type Source,
  type WhyStep,
} from '#core'

export type AlertStatus = 'open' | 'taken' | 'closed'

/** The rule as it was when the alert was raised. */
export interface AlertRule {
  name: string
  kind: string
  sentence: SentencePart[]
  sources: Source[]
  /** Where its levels lay on the series of its metric, where there is one. */
  lines?: LevelLine[]
}

/** What carries an alert: the silence of its device, of what that is reached through, or of its site, by name. */
export interface Carrier {
  id: number
  kind: 'silence' | 'upstream' | 'site'
  name: string
}

export interface AlertView {
  id: number
  /** null, and no name: it is about a site. */
  deviceId: DeviceId | null
  deviceName: string
  clientId: ClientId
  clientName: string
  siteId: number
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
  /** To whom it was handed, who has not accepted yet, by whom, and with which word. */
  offeredTo: string | null
  offeredToId: number | null
  offeredBy: string | null
  offeredWord: string
  /** Nobody wants to see it before. */
  hiddenUntil: Millis | null
  evidence: Evidence | null
  rule: AlertRule
  /** Set when it came out of this window at its end. */
  windowId: number | null
  windowName: string | null
  /** When whoever has it said that they would look again, and with which word. */
  followUpAt: Millis | null
  followUpWord: string
  notes: number
  /** Of one that is over: who closed it by hand, and with which word. */
  closedBy: string | null
  closedWord: string
  /** Who last asked an agent to do something about it: it was not well by itself. */
  helpedBy: string | null
  /** What it is a part of; that is worked on in its place. */
  carrier: Carrier | null
  /** Alerts that are a part of it, and of those. */
  members: number
  /** When its post began to fail each time, oldest first, while it does so again and again; else none. */
  flips: Millis[]
  /** Of one that flips: since when its post is well. */
  wellSince: Millis | null
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
/**
 * What else happened around an alert. `log`: an entry of its device; `raised`, `closed`: another alert, there or at its
 * site; `began`, `ended`: a window that reaches it; `changed`: by a person; `installed`: updates; `restarted`: it.
 */
export const timelineKinds = ['log', 'raised', 'closed', 'began', 'ended', 'changed', 'installed', 'restarted'] as const
export interface TimelineItem {
  at: Millis
  kind: (typeof timelineKinds)[number]
  /** The entry; what the alert is about; the name of the window; what was done to what; names of packages. */
  text: string
  /** Of *log*: its source; of *changed*: who did so; of *installed*, *restarted*: the window that it was planned in. */
  by: string
  severity: Severity | null
  /** Of *raised*, *closed*: the alert and its device; of *began*, *ended*, and what was planned: the window. */
  id: number | null
  deviceName: string
}
export interface AlertTimeline {
  from: Millis
  until: Millis
  /** Oldest first. */
  items: TimelineItem[]
  /** Log entries and alerts of that time that are not among them. */
  left: number
}

/** A post that began to fail together with an alert's own, again and again. */
export interface AlertCompanion {
  /** The newest of its alerts that began together with one. */
  alertId: number
  deviceId: number
  deviceName: string
  /** What it is about, such as a service. */
  about: string
  severity: Severity
  together: number
  of: number
  /** How much later it began, mostly; negative: earlier. */
  later: Millis
}

/** What is asked of a post: why there was an alert at a time, or was none; without a time, now. */
export interface WhyQuery {
  watch: string
  instance: string
  at?: Millis
}
export const whyQuerySchema = Joi.object<WhyQuery, true>({
  watch: Joi.string().max(200).required(),
  instance: Joi.string().allow('').max(1000).default(''),
  at: aTime,
})
export interface WhyPage {
  at: Millis
  deviceName: string
  zone: string
  steps: WhyStep[]
  /** Since when it is known what the device and its site were; what was before is told by what they were then. */
  knownSince: Millis | null
  /** Posts of its watches that can be asked about. */
  watches: { key: string; name: string; instances: string[] }[]
}

export interface AlertPage extends AlertView {
  entries: AlertEntry[]
  actions: ServiceAction[]
}

/** A post that failed, and that nobody was told of, or not yet. */
interface Untold extends Pick<
  AlertView,
  | 'id'
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
  deviceId: DeviceId
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

/** `before`: since when the round counted as walked until then, so that it can be undone. */
export interface Looked {
  looked: boolean
  before: Millis
}
/** Until when; without it until now. */
export interface LookedBody {
  at?: Millis
}
export const lookedBodySchema = Joi.object<LookedBody, true>({ at: aTime })

export interface AlertNote {
  text: string
}
export const alertNoteSchema = Joi.object<AlertNote, true>({ text: Joi.string().trim().min(1).max(4000).required() })
export interface AlertClose {
  reason: string
}
export const alertCloseSchema = Joi.object<AlertClose, true>({ reason: Joi.string().trim().min(3).max(500).required() })
/**
 * What can be done with many alerts at once. *follow-up*: say when one will look again, and have it until then.
 * *ask-again*: the agent reads everything anew. *reopen*: one that was closed by hand, while its post still fails.
 */
export const alertActs = [
  'take',
  'give-back',
  'hand-over',
  'decline',
  'hide',
  'show',
  'follow-up',
  'note',
  'ask-again',
  'close',
  'reopen',
] as const
export interface AlertsAct {
  ids: number[]
  do: (typeof alertActs)[number]
  /** Of *note* and *close*; the word that goes with *hand-over*, *hide* and *follow-up*. */
  text: string
  /** Of *hand-over*. */
  personId?: number
  /** Of *hide* and *follow-up*. */
  until?: Millis
}
export const alertsActSchema = Joi.object<AlertsAct, true>({
  ids: Joi.array().items(aNumber).min(1).max(500).required(),
  do: Joi.string()
    .valid(...alertActs)
    .required(),
  text: Joi.string().trim().allow('').max(4000).default(''),
  personId: aNumber,
  until: aTime,
})
/** What came of each; `problem`: why it was not done. */
export interface AlertActed {
  id: number
  problem: string | null
}
export interface AlertRespond {
  verb: ServiceAction['verb']
}
export const alertRespondSchema = Joi.object<AlertRespond, true>({
  verb: Joi.string()
    .valid(...serviceVerbs)
    .required(),
})
