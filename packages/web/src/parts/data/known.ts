import type { AlertView, BoardDevice, HeldView, RemediationView } from '#contract'
import { watchKinds, type Collector } from '#core'
import { clockText, exactText, shortText } from '../format/time'
import { asOf } from './asOf'

/**
 * What stands beside a state that may be so no longer, or in its place where nobody knows it; null: it is as the page
 * says.
 */
export interface Doubt {
  text: string
  title: string
  /** There is no state to show. */ isUnknown: boolean
}

/**
 * How far what a page shows of a part of a device can be believed: nothing is known of one that was never heard, or
 * whose part was never read; of one that is silent, or whose collector fails, only how it was then.
 */
export function doubtOf(
  device: Pick<BoardDevice, 'heardAt' | 'readAt' | 'silent' | 'failing'> & Partial<Pick<BoardDevice, 'osFamily'>>,
  collector: Collector,
  isRead: boolean,
): Doubt | null {
  const { heardAt, silent, failing } = device
  const at = device.readAt ?? heardAt
  if (device.osFamily === null)
    return { text: 'no agent', title: 'It has no agent: only others see it.', isUnknown: true }
  if (heardAt === null || at === null)
    return { text: 'not known', title: 'Its agent has not reported yet.', isUnknown: true }
  if (!isRead)
    return {
      text: failing.includes(collector) ? 'cannot be read' : 'not read',
      title: 'Its agent has told nothing of it yet.',
      isUnknown: true,
    }
  if (silent)
    return {
      text: `as of ${sameDay(at) ? clockText(at) : shortText(at)}`,
      title: `Its newest report is of ${exactText(at)}; nobody knows how it is now.`,
      isUnknown: false,
    }
  if (failing.includes(collector))
    return {
      text: 'cannot be read now',
      title: 'Its agent cannot read it; what was told last may be so no longer.',
      isUnknown: false,
    }
  return null
}

/** The same for its updates: without package lists nobody knows of any. */
export function updatesDoubt(
  device: Pick<BoardDevice, 'heardAt' | 'readAt' | 'silent' | 'failing' | 'updates'>,
): Doubt | null {
  if (device.updates && !device.updates.isKnown)
    return {
      text: 'not known',
      title: 'No package lists were ever fetched on it, so it knows of no updates.',
      isUnknown: true,
    }
  return doubtOf(device, 'updates', device.updates !== null)
}

/** The same for a post that is told of as failing now; what is over was seen to be over. */
export function postDoubt(row: AlertView | HeldView | RemediationView): Doubt | null {
  const isOver = ('status' in row ? row.closedAt : row.endedAt) !== null
  const kind = watchKinds.get(row.rule.kind)
  // What others see of it does not go by its own reports.
  if (isOver || row.readAt === null || kind?.subject === 'silence' || kind?.looks) return null
  const failing = kind?.collector ? row.failing : []
  return doubtOf(
    { heardAt: row.readAt, readAt: row.readAt, silent: row.silent, failing },
    kind?.collector ?? 'performance',
    true,
  )
}

const sameDay = (at: number) => new Date(at).toDateString() === new Date(asOf.value ?? Date.now()).toDateString()
