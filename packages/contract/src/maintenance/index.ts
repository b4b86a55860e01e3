import Joi from 'joi'
import { afterTime, aNumber } from '../bounds'
import {
  subjects,
  type ClientId,
  type CrowdStep,
  type HeldOutcome,
  type MaintenanceWindow,
  type Millis,
  type Severity,
  type Target,
  type WindowSubject,
} from '#core'
import { targetSchema } from '../estate/target'
import { aTime } from '../bounds'

/** `from` null: from now. `until` null: no end, until someone ends it. */
export interface NewWindow {
  name: string
  reason: string
  target: Target
  subject: WindowSubject
  from: Millis | null
  until: Millis | null
}

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
)

export const newWindowSchema = Joi.object<NewWindow, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  reason: Joi.string().allow('').max(500).default(''),
  target: targetSchema.required(),
  subject: windowSubjectSchema.required(),
  from: aTime.allow(null).required(),
  until: aTime.allow(null).required(),
})

export interface WindowView extends MaintenanceWindow {
  reason: string
  targetText: string
  clientId: ClientId | null
  deviceCount: number
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
/** The window, and how what it held has ended. */
export interface WindowPage extends WindowView {
  endings: HeldEnding[]
}

export interface WatchlineTick {
  alertId: number
  at: Millis
  until: Millis | null
  severity: Severity
  title: string
  deviceName: string
}
export interface WatchlineSpan {
  windowId: number
  from: Millis
  until: Millis | null
  name: string
}
export interface WatchlineLane {
  clientId: ClientId
  clientName: string
  ticks: WatchlineTick[]
  spans: WatchlineSpan[]
}
export interface WatchlineQuery {
  /** Of this client alone. */
  client?: ClientId
}
export const watchlineQuerySchema = Joi.object<WatchlineQuery, true>({ client: aNumber })

/** Many clients, or a great many alerts, in one lane: how many stood open at a time, not which. */
export interface WatchlineCrowd {
  /** Length of a step. */
  width: Millis
  steps: CrowdStep[]
  spans: WatchlineSpan[]
}
export interface Watchline {
  now: Millis
  from: Millis
  until: Millis
  /** How many are in view. */
  clients: number
  /** A lane for each client; none where they are folded into one. */
  lanes: WatchlineLane[]
  crowd: WatchlineCrowd | null
  /** Windows in this time beyond those that are told. */
  moreSpans: number
}
