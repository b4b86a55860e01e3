import Joi from 'joi'
import type { ClientId, Millis, Target, WindowSubject } from '#core'
import { aNumber } from '../bounds'
import { targetSchema } from '../estate/target'
import { windowSubjectSchema } from './window'

/** A calendar (RFC 5545) as text, and what its entries hold back where they do not say it themselves. */
export interface CalendarImport {
  text: string
  target: Target
  subject: WindowSubject
  /** Of times that have no zone. */
  zone: string
}
const calendarText = {
  text: Joi.string().min(1).max(1_000_000).required(),
  target: targetSchema.required(),
  subject: windowSubjectSchema.required(),
  zone: Joi.string().max(60).required(),
}
export const calendarImportSchema = Joi.object<CalendarImport, true>(calendarText)
export interface ChosenImport extends CalendarImport {
  uids: string[]
}
export const chosenImportSchema = Joi.object<ChosenImport, true>({
  ...calendarText,
  uids: Joi.array().items(Joi.string().max(300)).max(500).required(),
})
/** *past*: nothing of it is to come. *same*: there is nothing to change. */
export const calendarKinds = ['new', 'changed', 'cancelled', 'same', 'past', 'refused'] as const
export interface CalendarEntry {
  uid: string
  name: string
  kind: (typeof calendarKinds)[number]
  windowId: number | null
  zone: string
  rule: string | null
  length: Millis | null
  next: Millis | null
  skipped: number
  moved: number
  targetText: string
  /** A code: why it cannot be taken. */
  fault: string | null
}
export interface CalendarImported {
  uid: string
  id: number | null
  problem: string | null
}
export interface CalendarQuery {
  client?: ClientId
}
export const calendarQuerySchema = Joi.object<CalendarQuery, true>({ client: aNumber })
/** `teamId`: of the turns of a team instead of what is planned. */
export interface NewFeed {
  clientId: ClientId | null
  label: string
  teamId?: number
}
export const newFeedSchema = Joi.object<NewFeed, true>({
  clientId: aNumber.allow(null).required(),
  label: Joi.string().trim().min(1).max(100).required(),
  teamId: aNumber,
})
export interface FeedView {
  id: number
  clientId: ClientId | null
  clientName: string | null
  teamName: string | null
  label: string
  person: string
  createdAt: Millis
  readAt: Millis | null
}
/** `path`: its secret address, told this once. */
export interface MadeFeed {
  id: number
  path: string
}
