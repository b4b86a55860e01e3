import { targets, type DeviceTraits, type Target } from '../estate'
import type { ClientId, DeviceId, Millis } from '../units'
import type { Subject } from '../watch'

/** One post by its name: a watch on a device, on one instance where the watch has several. */
export interface NamedPost {
  deviceId: DeviceId
  watch: string
  instance: string
}

/** What of a device a window holds back. */
export type WindowSubject =
  | { of: 'all' }
  | { of: 'families'; families: readonly Subject[] }
  | { of: 'watches'; watches: readonly string[] }
  | { of: 'posts'; posts: readonly NamedPost[] }

/**
 * A time when alerts are held back, one of its window's: from its start (included) to its end (not included). No end:
 * until someone ends it.
 */
export interface MaintenanceWindow {
  /** Of the window. */
  id: number
  /** Of this time: a window that repeats has many. */
  occurrence: number
  name: string
  /** Whose it is; null: of several. A device that goes to another client is out of its reach. */
  clientId: ClientId | null
  target: Target
  subject: WindowSubject
  from: Millis
  until: Millis | null
  /** Ended early by a person. */
  endedAt: Millis | null
}

/** Whether a window is about a device, whatever of it and whenever. */
export function reaches(
  { clientId, target }: Pick<MaintenanceWindow, 'clientId' | 'target'>,
  device: DeviceTraits,
): boolean {
  return (clientId === null || clientId === device.clientId) && targets(target, device)
}

export interface CoveredPost {
  device: DeviceTraits
  watch: string
  instance: string
  family: Subject
}

type Span = Pick<MaintenanceWindow, 'from' | 'until' | 'endedAt'>

/** The end that counts: the earlier of the planned and the early one. */
export function windowEnd(window: Span): Millis | null {
  if (window.endedAt === null) return window.until
  return window.until === null ? window.endedAt : Math.min(window.until, window.endedAt)
}

export function isOpen(window: Span, at: Millis): boolean {
  const end = windowEnd(window)
  return at >= window.from && (end === null || at < end)
}

/** Ended before it began, so that it never held anything back. */
export function isCalledOff(window: Span): boolean {
  return window.endedAt !== null && window.endedAt <= window.from
}

/** It will hold nothing back any more. */
export function isOver(window: Span, at: Millis): boolean {
  return isCalledOff(window) || (windowEnd(window) ?? Infinity) <= at
}

/** Whether a window's subject names a post, wherever and whenever the window holds. */
export function isNamed(subject: WindowSubject, post: CoveredPost): boolean {
  switch (subject.of) {
    case 'all':
      return true
    case 'families':
      return subject.families.includes(post.family)
    case 'watches':
      return subject.watches.includes(post.watch)
    case 'posts':
      return subject.posts.some(
        ({ deviceId, watch, instance }) =>
          deviceId === post.device.id && watch === post.watch && instance === post.instance,
      )
  }
}

/** A window covers a post at a time when scope, subject and schedule all match. */
export function covers(window: MaintenanceWindow, post: CoveredPost, at: Millis): boolean {
  return isOpen(window, at) && reaches(window, post.device) && isNamed(window.subject, post)
}

/**
 * Of several windows that cover a post the one that ends last, an endless one before all, then the lower id, then the
 * earlier time of it.
 */
export function coverOf(
  windows: readonly MaintenanceWindow[],
  post: CoveredPost,
  at: Millis,
): MaintenanceWindow | null {
  let best: MaintenanceWindow | null = null
  for (const window of windows) {
    if (!covers(window, post, at)) continue
    const order =
      best === null
        ? 1
        : laterBy(windowEnd(window), windowEnd(best)) || best.id - window.id || best.occurrence - window.occurrence
    if (order > 0) best = window
  }
  return best
}

/** Two that never end end alike: their difference is no number. */
function laterBy(one: Millis | null, other: Millis | null): number {
  if (one === other) return 0
  return (one ?? Infinity) - (other ?? Infinity)
}
