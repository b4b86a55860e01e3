import Joi from 'joi'
import type { ClockEffect, DeviceId, Millis, Occurrence, Subject, Target, WindowSubject } from '#core'
import { aNumber } from '../bounds'
import { targetSchema } from '../estate/target'
import { newWindowSchema, windowSubjectSchema, type NewWindow } from './window'

export interface WindowDraft {
  /** The window that is changed; null: a new one. */
  id: number | null
  window: NewWindow
}
export const windowDraftSchema = Joi.object<WindowDraft, true>({
  id: aNumber.allow(null).required(),
  window: newWindowSchema.required(),
})
export interface OverlapView {
  id: number
  name: string
  from: Millis
  until: Millis | null
  /** In the reach of both. */
  devices: number
}
/** What a window would do, before it is saved. */
export interface WindowPreview {
  devices: number
  clients: number
  zone: string
  /** The zones of its sites. */
  zones: string[]
  /** The next five. */
  next: Occurrence[]
  /** What the changes of the clocks of the next year do to it. */
  clock: ClockEffect[]
  overlaps: OverlapView[]
  moreOverlaps: number
  /** Posts that fail now without an alert, and would be held if it were in force. */
  failing: number
  /** Alerts that are open in its reach: they stay, and nobody is told more of them. */
  open: number
}
export interface FamilyPosts {
  family: Subject
  posts: number
}
export interface WatchPosts {
  watch: string
  watchName: string
  posts: number
}
export interface PostView {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  watch: string
  watchName: string
  instance: string
  family: Subject
}
export interface WindowPostsBody {
  target: Target
  subject: WindowSubject
  /** The last device of the part before. */
  after: DeviceId | null
}
export const windowPostsSchema = Joi.object<WindowPostsBody, true>({
  target: targetSchema.required(),
  subject: windowSubjectSchema.required(),
  after: aNumber.allow(null).required(),
})
/** The posts that a window would hold. */
export interface WindowPosts {
  /** Of its devices, whatever its subject. */
  families: FamilyPosts[]
  watches: WatchPosts[]
  /** Of its subject. */
  total: number
  posts: PostView[]
  next: DeviceId | null
}
