import type { NewWindow, WindowChange, WindowReview } from '#contract'
import type { Millis } from '#core'
import { carriedOver, instantOf, localOf, occurrenceAt, splitRule, startsBetween, type Schedule } from '#core/schedule'
import { time, type Db } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { announce } from '../../../live'
import { scheduleOf, type WindowRow } from '../../../store/windows'
import { audit, type Viewer } from '../../access'
import { readDraft } from '../draft'
import { requireReach } from '../../policy'
import { moveOccurrence } from './occurrence'
import { openWindow } from './open'
import {
  addRevision,
  dropComing,
  endsInPast,
  fieldsOf,
  inForceAt,
  notOver,
  renewOccurrences,
  requireFuture,
  requireOwner,
  requireWindow,
  takeEffect,
  type Saved,
} from './revise'

/**
 * Changes one time of a window, that and all after it, or all that are to come. What was stays as it was.
 * @param exact what is skipped, moved and added, where a calendar says so; else it is carried over
 */
export async function changeWindow(
  tx: Db,
  id: number,
  { revision, scope, start, why, window: body }: WindowChange,
  viewer: Viewer,
  now: Millis,
  exact: Pick<Schedule, 'except' | 'changed' | 'more'> | null = null,
): Promise<{ id: number }> {
  const before = await requireWindow(tx, id, viewer)
  if (before.revision !== revision) throw new ProblemError('changed-meanwhile')
  if (before.ended_at !== null) throw new ProblemError('already-ended')
  if (scope === 'one') return moveOccurrence(tx, before, start, body, why, viewer, now)
  const clientId = await requireReach(tx, viewer, body.target)
  await requireOwner(tx, body.ownerId)
  const { schedule } = await readDraft(tx, body, now)
  const mine = scheduleOf(before)
  const carried = exact ?? { ...carriedOver(mine, schedule), more: mine.more }
  const first = instantOf(mine.starts, mine.zone)
  const isCut = scope === 'following' && start !== null && mine.rule !== null
  if (isCut && startsBetween({ ...mine, except: [] }, first, start, 1).length)
    return splitWindow(tx, before, start, body, schedule, why, viewer, now)
  const left = await notOver(tx, id, now)
  // One that comes again may have nothing to come for a while.
  if (!left.length && mine.rule === null) throw new ProblemError('already-ended')
  const [running] = left.filter((each) => each.from_at <= now)
  if (schedule.rule === null && !running) requireFuture(schedule, now)
  const isOnceAndBegun = running !== undefined && mine.rule === null && schedule.rule === null
  const row = await addRevision(
    tx,
    {
      ...before,
      ...fieldsOf(body, { ...schedule, ...carried }, now),
      ...(isOnceAndBegun ? { starts: before.starts, zone: before.zone } : {}),
      owner_id: body.ownerId ?? before.owner_id,
      client_id: clientId,
    },
    viewer,
    why,
  )
  // Its end moves with its length, its beginning was.
  if (running && isOnceAndBegun) {
    const until = row.length_ms === null ? null : instantOf(row.starts, row.zone) + row.length_ms
    if (until !== null && until <= now) throw endsInPast()
    await tx.query('update window_occurrence set until_at = $2 where id = $1', [running.id, time(until)])
  } else await renewOccurrences(tx, row, now)
  await takeEffect(tx, row, [before.target, row.target], now, running !== null)
  await audit(tx, { personId: viewer.id, action: 'changed', kind: 'window', id, clientId, detail: { ...body, why } })
  return { id }
}

/** From one of its times on another window goes on in its place. */
async function splitWindow(
  tx: Db,
  before: WindowRow & Saved,
  start: Millis,
  body: NewWindow,
  schedule: Schedule,
  why: string,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const mine = scheduleOf(before)
  const { from } = occurrenceAt(mine, start)
  if (from <= now)
    throw new ProblemError('invalid', 'That one has begun. Change those after it, or end it.', [
      { at: 'start', message: 'has begun' },
    ])
  const cut = splitRule(mine, start)
  // Where the rule was left as it is, what is left of its count or end goes with it.
  const rule = schedule.rule === mine.rule ? cut.after : schedule.rule
  const kept = carriedOver(mine, schedule)
  const row = await addRevision(
    tx,
    {
      ...before,
      rule: cut.before,
      left_out: before.left_out.filter((at) => at < start),
      changed: before.changed.filter((changed) => changed.start < start),
      more: before.more.filter((at) => at < start),
    },
    viewer,
    why,
  )
  await renewOccurrences(tx, row, now)
  await takeEffect(tx, row, [before.target], now, false)
  // It begins on the day that it was cut at, at the time that was chosen.
  const day = localOf(start, mine.zone).slice(0, 10)
  const made = await openWindow(
    tx,
    {
      ...body,
      from: body.from !== null && typeof body.from === 'string' ? body.from : `${day}${schedule.starts.slice(10)}`,
      until: null,
      length: schedule.length,
      zone: schedule.zone,
      rule,
      except: kept.except.filter((at) => at >= start),
    },
    viewer,
    now,
    false,
    {
      continues: before.id,
      why,
      changed: kept.changed.filter((changed) => changed.start > start),
      more: mine.more.filter((at) => at >= start),
    },
  )
  return made
}

/** Ends a window for good: what is in force of it ends now, and nothing of it comes any more. */
export async function endWindow(tx: Db, id: number, why: string, viewer: Viewer, now: Millis): Promise<{ id: number }> {
  const before = await requireWindow(tx, id, viewer)
  const current = await notOver(tx, id, now)
  if (!current.length) throw new ProblemError('already-ended')
  const inForce = current.filter((row) => inForceAt(row, now))
  const isOnce = before.rule === null
  const after = await addRevision(tx, { ...before, ended_at: now }, viewer, why)
  // Of one that repeats nothing that is to come is left; the next one, or the only one, stays as cancelled.
  const shown = inForce.length ? inForce : current.slice(0, 1)
  for (const row of shown)
    await tx.query('update window_occurrence set ended_at = $2, ended_by = $3, over = true where id = $1', [
      row.id,
      time(Math.max(now, row.from_at)),
      viewer.id,
    ])
  if (!isOnce) await dropComing(tx, id, now)
  await tx.query('update window_horizon set until_at = null where window_id = $1', [id])
  await takeEffect(tx, after, [before.target], now, inForce.length > 0)
  await audit(tx, {
    personId: viewer.id,
    action: 'ended',
    kind: 'window',
    id,
    clientId: before.client_id,
    detail: { why },
  })
  return { id }
}

/** Somebody has looked whether it is still needed. */
export async function reviewWindow(
  tx: Db,
  id: number,
  { reviewAt, why }: WindowReview,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const before = await requireWindow(tx, id, viewer)
  if (reviewAt !== null && reviewAt <= now)
    throw new ProblemError('invalid', 'The review lies in the past. Choose a later day.', [
      { at: 'reviewAt', message: 'in the past' },
    ])
  if (reviewAt === null && before.length_ms === null)
    throw new ProblemError('invalid', 'A window without an end keeps a day of review. Choose one, or end it.', [
      { at: 'reviewAt', message: 'is needed without an end' },
    ])
  await addRevision(tx, { ...before, review_at: reviewAt }, viewer, why)
  announce(tx, {
    topic: 'windows',
    clientIds: before.client_id === null ? null : [before.client_id],
    deviceIds: [],
  })
  await audit(tx, {
    personId: viewer.id,
    action: 'reviewed',
    kind: 'window',
    id,
    clientId: before.client_id,
    detail: { reviewAt, why },
  })
  return { id }
}
