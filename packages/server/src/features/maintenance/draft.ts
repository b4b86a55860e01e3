import type { NewWindow } from '#contract'
import { conditionsOf, hour, matcher, type DeviceTraits, type Millis, type Target } from '#core'
import {
  aligned,
  instantOf,
  localOf,
  RecurrenceError,
  recurrenceFault,
  type RecurrenceFault,
  type Schedule,
} from '#core/schedule'
import { rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { allTraits } from '../estate'

/** The zones of the sites of some devices, that of most devices first; without any, of the sites that are named. */
async function zonesOf(db: Db, devices: readonly DeviceTraits[], target: Target): Promise<string[]> {
  const counts = new Map<number, number>()
  for (const { siteId } of devices) counts.set(siteId, (counts.get(siteId) ?? 0) + 1)
  const named = conditionsOf(target)
  const sites = await rows<{ id: number; zone: string }>(
    db,
    `select id, zone from site where id = any($1) or client_id = any($2) order by id`,
    [
      [...counts.keys(), ...named.flatMap((part) => (part.on === 'site' ? [part.siteId] : []))],
      devices.length ? [] : named.flatMap((part) => (part.on === 'client' ? [part.clientId] : [])),
    ],
  )
  const byZone = new Map<string, number>()
  for (const { id, zone } of sites) byZone.set(zone, (byZone.get(zone) ?? 0) + (counts.get(id) ?? 0))
  return [...byZone].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).map(([zone]) => zone)
}

const faultWords: Record<RecurrenceFault, [at: string, message: string]> = {
  'no-rule': ['rule', 'is no rule of RFC 5545, such as FREQ=MONTHLY;BYDAY=2TU'],
  'too-often': ['rule', 'comes more often than once an hour. Make one window over the whole time'],
  never: ['rule', 'never comes: no day fits it, its end lies before its beginning, or it counts thousands of times'],
  'no-zone': ['zone', 'is no name of a time zone, such as Europe/Berlin'],
  'no-time': ['from', 'is no date and time of the calendar'],
}
function fault(of: RecurrenceFault): ProblemError {
  const [at, message] = faultWords[of]
  return new ProblemError('invalid', `The ${at === 'from' ? 'beginning' : at} ${message}.`, [{ at, message }])
}

export interface ReadDraft {
  schedule: Schedule
  /** Zones of the sites in reach. */
  zones: string[]
  /** In reach now. */
  devices: DeviceTraits[]
}

/** In which zone nothing else says which: most devices are there; without any, UTC. */
const zoneFor = (zones: readonly string[]) => zones[0] ?? 'UTC'

export async function devicesIn(db: Db, target: Target): Promise<DeviceTraits[]> {
  return (await allTraits(db, [target])).filter(matcher(target))
}

/**
 * What somebody wants, as a schedule.
 * @throws ProblemError *invalid*, each fault at its field
 */
export async function readDraft(db: Db, body: NewWindow, now: Millis): Promise<ReadDraft> {
  const devices = await devicesIn(db, body.target)
  const zones = await zonesOf(db, devices, body.target)
  const zone = body.zone ?? zoneFor(zones)
  try {
    const rule = body.rule ?? null
    const from = body.from ?? now
    const local = typeof from === 'string' ? from : localOf(from, zone)
    // What comes again does so on whole seconds.
    const starts = rule === null ? local : local.slice(0, 19)
    const recurrence = { starts, zone, rule, more: [], except: body.except ?? [] }
    const found = recurrenceFault(recurrence)
    if (found) throw fault(found)
    const first = instantOf(starts, zone)
    const until = typeof body.until === 'string' ? instantOf(body.until, zone) : (body.until ?? null)
    const length = body.length ?? (until === null ? null : until - first)
    if (length !== null && length <= 0)
      throw new ProblemError('invalid', 'The window ends before it begins. Choose a later end.', [
        { at: 'until', message: 'not after the beginning' },
      ])
    if (rule !== null && length === null)
      throw new ProblemError('invalid', 'A window that repeats has an end each time. Choose how long it holds.', [
        { at: 'length', message: 'is needed where it repeats' },
      ])
    if (body.length != null && until !== null)
      throw new ProblemError('invalid', 'A window has a length or an end, not both.', [
        { at: 'until', message: 'not beside a length' },
      ])
    return { schedule: { ...aligned(recurrence), length, changed: [] }, zones, devices }
  } catch (error) {
    throw error instanceof RecurrenceError ? fault(error.fault) : error
  }
}

/** Without an end, somebody looks again in a week, unless another day is chosen. */
export const reviewFor = (body: NewWindow, schedule: Schedule, now: Millis): Millis | null =>
  body.reviewAt ?? (schedule.length === null ? now + 7 * 24 * hour : null)
