import type { NewWindow } from '#contract'
import { isOver, minute, type DeviceId, type Millis, type Target } from '#core'
import { instantOf, type Schedule } from '#core/schedule'
import { firstRow, rows, time, type Db } from '../../../db'
import { bumpVersions, devicesOf, reevaluateAll } from '../../../engine'
import { ProblemError } from '../../../http/problems'
import { announce } from '../../../live'
import { writeOccurrences, type WindowRow } from '../../../store/windows'
import { mayChangeAll, requireClient, type Viewer } from '../../access'
import { reviewFor } from '../draft'

export type Saved = Omit<WindowRow, 'revision' | 'created_at'> & { created_by: number | null; continues: number | null }

/** Adds a revision, and returns the window as it is then. */
export async function addRevision(tx: Db, window: Saved, viewer: Viewer, why: string): Promise<WindowRow> {
  const columns = {
    id: window.id,
    name: window.name,
    reason: window.reason,
    ticket: window.ticket,
    owner_id: window.owner_id,
    client_id: window.client_id,
    target: JSON.stringify(window.target),
    subject: JSON.stringify(window.subject),
    zone: window.zone,
    starts: window.starts,
    length_ms: window.length_ms,
    rule: window.rule,
    more: JSON.stringify(window.more),
    left_out: JSON.stringify(window.left_out),
    changed: JSON.stringify(window.changed),
    review_at: time(window.review_at),
    ended_at: time(window.ended_at),
    uid: window.uid,
    continues: window.continues,
    created_by: window.created_by,
    saved_by: viewer.id,
    why,
  }
  const names = Object.keys(columns)
  const row = await firstRow<WindowRow>(
    tx,
    `
    insert into window_revision (revision, created_at, ${names.join(', ')})
    select coalesce(max(revision), 0) + 1, coalesce(min(created_at), now()),
      ${names.map((_, i) => `$${i + 1}`).join(', ')}
    from window_revision where id = $1 returning *`,
    Object.values(columns),
  )
  return row!
}

/** Devices that a change reaches: those of before and of after. Whatever is held or failing on them is looked at. */
export async function takeEffect(
  tx: Db,
  { client_id }: WindowRow,
  targets: readonly Target[],
  now: Millis,
  isInForce: boolean,
): Promise<void> {
  const touched = new Set<DeviceId>()
  for (const target of targets) for (const id of await devicesOf(tx, target)) touched.add(id)
  if (isInForce) await reevaluateAll(tx, new Map([...touched].map((id) => [id, null])), now)
  else await bumpVersions(tx, [...touched])
  announce(tx, {
    topic: 'windows',
    clientIds: client_id === null ? null : [client_id],
    deviceIds: [...touched],
  })
}

/** One that somebody may change, locked against another change. @throws ProblemError no-such-window */
export async function requireWindow(tx: Db, id: number, viewer: Viewer): Promise<WindowRow & Saved> {
  await tx.query('select from window_horizon where window_id = $1 for update', [id])
  const row = await firstRow<WindowRow & Saved>(tx, 'select * from maintenance_window where id = $1', [id])
  if (!row) throw new ProblemError('no-such-window')
  if (row.client_id !== null) requireClient(viewer, row.client_id, 'no-such-window')
  else if (!mayChangeAll(viewer)) throw new ProblemError('no-such-window')
  return row
}

export interface OccurrenceRow {
  id: number
  start: Millis
  from_at: Millis
  until_at: Millis | null
  ended_at: Millis | null
  begun: boolean
  over: boolean
}

export const occurrenceColumns = 'id, start, from_at, until_at, ended_at, begun, over'
export const inForceAt = (row: OccurrenceRow, at: Millis) => {
  const end = Math.min(row.until_at ?? Infinity, row.ended_at ?? Infinity)
  return row.from_at <= at && at < end
}

export const fieldsOf = (
  body: NewWindow,
  schedule: Schedule,
  now: Millis,
): Omit<Saved, 'id' | 'owner_id' | 'client_id' | 'ended_at' | 'created_by' | 'continues' | 'uid'> => ({
  name: body.name,
  reason: body.reason,
  ticket: body.ticket ?? '',
  target: body.target,
  subject: body.subject,
  zone: schedule.zone,
  starts: schedule.starts,
  length_ms: schedule.length,
  rule: schedule.rule,
  more: [...schedule.more],
  left_out: [...schedule.except],
  changed: [...schedule.changed],
  review_at: reviewFor(body, schedule, now),
})

/** @throws ProblemError *invalid* where the owner is nobody who could look after it */
export async function requireOwner(tx: Db, ownerId: number | null | undefined): Promise<void> {
  if (ownerId == null) return
  const found = await firstRow(tx, `select from person where id = $1 and access <> 'contact'`, [ownerId])
  if (!found)
    throw new ProblemError('invalid', 'The owner has no account here that may change anything. Choose another.', [
      { at: 'ownerId', message: 'nobody here' },
    ])
}

/** Times of a window that have not begun are written down anew. Those that have begun stay what they were. */
export async function renewOccurrences(tx: Db, row: WindowRow, now: Millis): Promise<void> {
  await dropComing(tx, row.id, now)
  await writeOccurrences(tx, row, now - minute, now)
}

/** One whose time has come may hold something already, whether a timer has begun it or not. */
export async function dropComing(tx: Db, id: number, now: Millis): Promise<void> {
  await tx.query(
    'delete from window_occurrence where window_id = $1 and not begun and ended_at is null and from_at > $2',
    [id, time(now)],
  )
}

export const beginsInPast = () =>
  new ProblemError('invalid', 'A window cannot begin in the past: what was raised then stays raised. Begin it now.', [
    { at: 'from', message: 'in the past' },
  ])

export function requireFuture({ starts, zone }: Schedule, now: Millis): void {
  if (instantOf(starts, zone) < now - minute) throw beginsInPast()
}

/** Times of a window that are in force or to come, in order; no other change reaches them meanwhile. */
export async function notOver(tx: Db, id: number, now: Millis): Promise<OccurrenceRow[]> {
  const found = await rows<OccurrenceRow>(
    tx,
    `select ${occurrenceColumns} from window_occurrence
     where window_id = $1 and not over and ended_at is null order by from_at for update`,
    [id],
  )
  return found.filter((row) => !isOver({ from: row.from_at, until: row.until_at, endedAt: null }, now))
}

export const endsInPast = () =>
  new ProblemError('invalid', 'It would have ended already. Choose a later end, or end it now.', [
    { at: 'until', message: 'in the past' },
  ])
