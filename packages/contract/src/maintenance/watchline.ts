import Joi from 'joi'
import type { ClientId, CrowdStep, Millis, Severity } from '#core'
import { aNumber } from '../bounds'

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
  /** Which of its times. */
  occurrence: number
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
