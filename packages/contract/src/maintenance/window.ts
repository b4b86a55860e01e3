import Joi from 'joi'
import {
  subjects,
  type ClientId,
  type DeviceId,
  type HeldOutcome,
  type LocalTime,
  type MaintenanceWindow,
  type Millis,
  type Occurrence,
  type Severity,
  type Subject,
  type Target,
  type WindowSubject,
} from '#core'
import { afterTime, aNumber, aTime } from '../bounds'
import { targetSchema } from '../estate/target'

/**
 * What somebody wants held back, and when. `from`: a moment, a time on the clocks of the zone, or null: from now.
 * `until` or `length` (elapsed), or neither: no end, until someone ends it. With a `rule` it repeats, and needs a
 * length.
 */
export interface NewWindow {
  name: string
  reason: string
  target: Target
  subject: WindowSubject
  from: Millis | LocalTime | null
  until?: Millis | LocalTime | null
  length?: Millis | null
  /** IANA name; null: that of the site, or of the sites where they have one. */
  zone?: string | null
  /** RFC 5545: the value of RRULE. */
  rule?: string | null
  /** Starts that the rule has and the window has not. */
  except?: Millis[]
  ownerId?: number | null
  /** Number or address of the work order. */
  ticket?: string
  /** When somebody should look whether it is still needed. */
  reviewAt?: Millis | null
}

const aPost = Joi.object({
  deviceId: aNumber.required(),
  watch: Joi.string().max(61).required(),
  instance: Joi.string().allow('').max(300).required(),
})
export const windowSubjectSchema = Joi.alternatives<WindowSubject>().try(
  Joi.object({ of: Joi.valid('all').required() }),
  Joi.object({
    of: Joi.valid('families').required(),
    families: Joi.array()
      .items(Joi.string().valid(...subjects))
      .min(1)
      .required(),
  }),
  Joi.object({
    of: Joi.valid('watches').required(),
    watches: Joi.array().items(Joi.string().max(61)).min(1).max(200).required(),
  }),
  Joi.object({
    of: Joi.valid('posts').required(),
    posts: Joi.array().items(aPost).min(1).max(500).required(),
  }),
)

/** Longer than any work: a year and a day. */
export const longestWindow = 366 * 86_400_000
const localTime = Joi.string().pattern(/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,3})?$/)
const window = {
  name: Joi.string().trim().min(1).max(100).required(),
  reason: Joi.string().allow('').max(500).default(''),
  target: targetSchema.required(),
  subject: windowSubjectSchema.required(),
  from: Joi.alternatives().try(aTime, localTime).allow(null).required(),
  until: Joi.alternatives().try(aTime, localTime).allow(null),
  length: Joi.number().integer().min(60_000).max(longestWindow).allow(null),
  zone: Joi.string().max(60).allow(null),
  rule: Joi.string().max(400).allow(null),
  except: Joi.array().items(aTime).max(500),
  ownerId: aNumber.allow(null),
  ticket: Joi.string().allow('').max(300),
  reviewAt: aTime.allow(null),
}
export const newWindowSchema = Joi.object<NewWindow, true>(window)

/** Which of its times a change is about: one, that one and all after it, or all that are to come. */
export const changeScopes = ['one', 'following', 'all'] as const
export type ChangeScope = (typeof changeScopes)[number]
export interface WindowChange {
  /** Of the window that was read. */
  revision: number
  scope: ChangeScope
  /** By the rule, of the one that it is about; null: of all. */
  start: Millis | null
  why: string
  /** Of *one* its times count, and nothing else. */
  window: NewWindow
}
const why = Joi.string().trim().allow('').max(300).default('')
export const windowChangeSchema = Joi.object<WindowChange, true>({
  revision: Joi.number().integer().min(1).required(),
  scope: Joi.string()
    .valid(...changeScopes)
    .required(),
  start: aTime.allow(null).required(),
  why,
  window: newWindowSchema.required(),
})

/** *skip*: it does not come; *restore*: it does after all; *end*: now; *extend*: to `until`, while it is in force. */
export const occurrenceActs = ['skip', 'restore', 'end', 'extend'] as const
export interface OccurrenceAct {
  do: (typeof occurrenceActs)[number]
  start: Millis
  until?: Millis
  why: string
}
export const occurrenceActSchema = Joi.object<OccurrenceAct, true>({
  do: Joi.string()
    .valid(...occurrenceActs)
    .required(),
  start: aTime.required(),
  until: aTime,
  why,
})
export interface WindowWhy {
  why?: string
}
export const windowWhySchema = Joi.object<WindowWhy, true>({ why: Joi.string().trim().allow('').max(300) })
export interface WindowReview {
  reviewAt: Millis | null
  why: string
}
export const windowReviewSchema = Joi.object<WindowReview, true>({ reviewAt: aTime.allow(null).required(), why })

/** A window at one of its times: the one in force, else the next, else the last. */
export interface WindowView extends MaintenanceWindow {
  revision: number
  /** Of this time, by the rule: its name. */
  start: Millis
  reason: string
  ticket: string
  ownerId: number | null
  owner: string | null
  targetText: string
  deviceCount: number
  zone: string
  starts: LocalTime
  length: Millis | null
  rule: string | null
  /** When it comes again after this time. */
  next: Millis | null
  reviewAt: Millis | null
  createdBy: string
  createdAt: Millis
  endedBy: string | null
  heldNow: number
  heldTotal: number
}
export const windowGroups = ['open', 'coming', 'over'] as const
export type WindowGroup = (typeof windowGroups)[number]
/** Windows of one group, or of all: those to come the soonest first, others the newest first. */
export interface WindowQuery {
  group?: WindowGroup
  client?: ClientId
  /** The last one of the part before. */
  after?: string
}
export const windowQuerySchema = Joi.object<WindowQuery, true>({
  group: Joi.string().valid(...windowGroups),
  client: aNumber,
  after: afterTime,
})
export interface WindowList {
  total: number
  windows: WindowView[]
  next: string | null
}
/** A part of the windows that reach a device, the newest first: those of so many that were looked at. */
export interface DeviceWindows {
  windows: WindowView[]
  next: string | null
}
export interface DeviceWindowsQuery {
  after?: string
}
export const deviceWindowsQuerySchema = Joi.object<DeviceWindowsQuery, true>({ after: afterTime })

/** How many of a window's record ended so; null: held now. */
export interface HeldEnding {
  outcome: HeldOutcome | null
  count: number
}
/** One time of a window, with what came of it. */
export interface OccurrenceView extends Occurrence {
  id: number
  endedAt: Millis | null
  endedBy: string | null
  begun: boolean
  /** Records that it held. */
  held: number
  /** Of those, raised when it was over. */
  raised: number
  /** Raised within half an hour after its end, on its devices, of what it holds back: the work took longer. */
  overrun: number
  /** Alerts raised on its devices while it was in force, which it did not hold. */
  uncovered: number
}
/** One saved state of a window. */
export interface WindowRevision {
  revision: number
  savedBy: string
  savedAt: Millis
  why: string
  name: string
  rule: string | null
  starts: LocalTime
  zone: string
  length: Millis | null
  endedAt: Millis | null
}
/** What its record over time suggests. */
export const windowAdvice = ['never-held', 'overruns', 'review'] as const
export type WindowAdvice = (typeof windowAdvice)[number]
/** The window with its times, and how what it held has ended. */
export interface WindowPage extends WindowView {
  endings: HeldEnding[]
  /** To come, the soonest first; then in force and over, the newest first: so many of each. */
  coming: OccurrenceView[]
  past: OccurrenceView[]
  /** How many were in force or are over, of which `past` tells the newest. */
  pastCount: number
  /** Starts that were skipped and are not over. */
  skipped: Millis[]
  revisions: WindowRevision[]
  advice: WindowAdvice[]
  continues: { id: number; name: string } | null
}
export interface WindowRecordQuery {
  before?: number
  limit: number
  /** Of this time alone. */
  occurrence?: number
}
export const windowRecordQuerySchema = Joi.object<WindowRecordQuery, true>({
  before: aNumber,
  limit: Joi.number().integer().min(1).max(500).default(100),
  occurrence: aNumber,
})

/** An alert of a device in reach, raised while the window was in force and not held by it. */
export interface UncoveredAlert {
  alertId: number
  deviceId: DeviceId
  deviceName: string
  watch: string
  instance: string
  family: Subject
  severity: Severity
  raisedAt: Millis
  text: string
}
export interface UncoveredList {
  total: number
  alerts: UncoveredAlert[]
}
export interface OccurrenceQuery {
  /** Without it, the newest that has begun. */
  occurrence?: number
}
export const occurrenceQuerySchema = Joi.object<OccurrenceQuery, true>({ occurrence: aNumber })
