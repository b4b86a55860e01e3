import type { NewWindow, OccurrenceAct, WindowChange, WindowReview } from '#contract'
import { isOver, minute, type DeviceId, type Millis, type Target } from '#core'
import {
  carriedOver,
  instantOf,
  localOf,
  occurrenceAt,
  splitRule,
  startsBetween,
  type Occurrence,
  type Schedule,
} from '#core/schedule'
import { firstRow, rows, time, type Db } from '../../db'
import { bumpVersions, devicesOf, reevaluateAll } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { scheduleOf, writeOccurrences, type WindowRow } from '../../store/windows'
import { audit, mayChangeAll, requireClient, type Viewer } from '../access'
import { readDraft, reviewFor } from './draft'
import { requireReach } from './reach'

type Saved = Omit<WindowRow, 'revision' | 'created_at'> & { created_by: number | null; continues: number | null }

/** Adds a revision, and returns the window as it is then. */
async function addRevision(tx: Db, window: Saved, viewer: Viewer, why: string): Promise<WindowRow> {
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
async function takeEffect(
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
async function requireWindow(tx: Db, id: number, viewer: Viewer): Promise<WindowRow & Saved> {
  await tx.query('select from window_horizon where window_id = $1 for update', [id])
  const row = await firstRow<WindowRow & Saved>(tx, 'select * from maintenance_window where id = $1', [id])
  if (!row) throw new ProblemError('no-such-window')
  if (row.client_id !== null) requireClient(viewer, row.client_id, 'no-such-window')
  else if (!mayChangeAll(viewer)) throw new ProblemError('no-such-window')
  return row
}

interface OccurrenceRow {
  id: number
  start: Millis
  from_at: Millis
  until_at: Millis | null
  ended_at: Millis | null
  begun: boolean
  over: boolean
}

const occurrenceColumns = 'id, start, from_at, until_at, ended_at, begun, over'
const inForceAt = (row: OccurrenceRow, at: Millis) => {
  const end = Math.min(row.until_at ?? Infinity, row.ended_at ?? Infinity)
  return row.from_at <= at && at < end
}

const fieldsOf = (
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
async function requireOwner(tx: Db, ownerId: number | null | undefined): Promise<void> {
  if (ownerId == null) return
  const found = await firstRow(tx, `select from person where id = $1 and access <> 'contact'`, [ownerId])
  if (!found)
    throw new ProblemError('invalid', 'The owner has no account here that may change anything. Choose another.', [
      { at: 'ownerId', message: 'nobody here' },
    ])
}

export interface Origin {
  continues?: number
  uid?: string
  why?: string
  changed?: readonly Occurrence[]
  more?: readonly Millis[]
}

/** @param pastAllowed a demo has windows in its history */
export async function openWindow(
  tx: Db,
  body: NewWindow,
  viewer: Viewer,
  now: Millis,
  pastAllowed: boolean,
  { continues, uid, why = '', changed = [], more = [] }: Origin = {},
): Promise<{ id: number }> {
  const clientId = await requireReach(tx, viewer, body.target)
  await requireOwner(tx, body.ownerId)
  const draft = await readDraft(tx, body, now)
  const schedule: Schedule = { ...draft.schedule, changed, more }
  const first = instantOf(schedule.starts, schedule.zone)
  if (!pastAllowed && schedule.rule === null) requireFuture(schedule, now)
  const { id } = (await firstRow<{ id: number }>(tx, `select nextval('policy_object_id')::int as id`))!
  const row = await addRevision(
    tx,
    {
      ...fieldsOf(body, schedule, now),
      owner_id: body.ownerId ?? viewer.id,
      id,
      client_id: clientId,
      ended_at: null,
      created_by: viewer.id,
      continues: continues ?? null,
      uid: uid ?? null,
    },
    viewer,
    why,
  )
  // What of a rule lies behind never was.
  const since = schedule.rule === null || pastAllowed ? Math.min(first, ...more) : now - minute
  await writeOccurrences(tx, row, since, now)
  await takeEffect(tx, row, [body.target], now, false)
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'window', id, clientId, detail: { ...body } })
  return { id }
}

/** Times of a window that have not begun are written down anew. Those that have begun stay what they were. */
async function renewOccurrences(tx: Db, row: WindowRow, now: Millis): Promise<void> {
  await dropComing(tx, row.id, now)
  await writeOccurrences(tx, row, now - minute, now)
}

/** One whose time has come may hold something already, whether a timer has begun it or not. */
async function dropComing(tx: Db, id: number, now: Millis): Promise<void> {
  await tx.query(
    'delete from window_occurrence where window_id = $1 and not begun and ended_at is null and from_at > $2',
    [id, time(now)],
  )
}

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
  if (!left.length && (mine.rule === null || before.ended_at !== null)) throw new ProblemError('already-ended')
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

const beginsInPast = () =>
  new ProblemError('invalid', 'A window cannot begin in the past: what was raised then stays raised. Begin it now.', [
    { at: 'from', message: 'in the past' },
  ])

function requireFuture({ starts, zone }: Schedule, now: Millis): void {
  if (instantOf(starts, zone) < now - minute) throw beginsInPast()
}

/** Times of a window that are in force or to come, in order; no other change reaches them meanwhile. */
async function notOver(tx: Db, id: number, now: Millis): Promise<OccurrenceRow[]> {
  const found = await rows<OccurrenceRow>(
    tx,
    `select ${occurrenceColumns} from window_occurrence
     where window_id = $1 and not over and ended_at is null order by from_at for update`,
    [id],
  )
  return found.filter((row) => !isOver({ from: row.from_at, until: row.until_at, endedAt: null }, now))
}

const endsInPast = () =>
  new ProblemError('invalid', 'It would have ended already. Choose a later end, or end it now.', [
    { at: 'until', message: 'in the past' },
  ])

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

/** One time of a window at another time; the others stay. */
async function moveOccurrence(
  tx: Db,
  before: WindowRow & Saved,
  start: Millis | null,
  body: NewWindow,
  why: string,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const row = await requireOccurrence(tx, before.id, start)
  if (row.over || row.ended_at !== null) throw new ProblemError('already-ended')
  const wanted = typeof body.from === 'string' ? instantOf(body.from, before.zone) : (body.from ?? row.from_at)
  const begun = row.begun || row.from_at <= now
  const from = begun ? row.from_at : wanted
  const end = typeof body.until === 'string' ? instantOf(body.until, before.zone) : (body.until ?? null)
  const until = end ?? (body.length == null ? null : from + body.length)
  if (until !== null && until <= from)
    throw new ProblemError('invalid', 'The window ends before it begins. Choose a later end.', [
      { at: 'until', message: 'not after the beginning' },
    ])
  if (until !== null && until <= now) throw endsInPast()
  if (until === null && before.rule !== null)
    throw new ProblemError('invalid', 'A window that repeats has an end each time. Choose how long it holds.', [
      { at: 'length', message: 'is needed where it repeats' },
    ])
  if (!begun && from < now - minute) throw beginsInPast()
  return changeOccurrence(tx, before, row, { start: row.start, from, until }, why, viewer, now)
}

async function changeOccurrence(
  tx: Db,
  before: WindowRow & Saved,
  row: OccurrenceRow,
  to: Occurrence,
  why: string,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const isOnce = before.rule === null
  const after = await addRevision(
    tx,
    isOnce
      ? {
          ...before,
          starts: localOf(to.from, before.zone),
          length_ms: to.until === null ? null : to.until - to.from,
          changed: [],
        }
      : { ...before, changed: [...before.changed.filter((changed) => changed.start !== to.start), to] },
    viewer,
    why,
  )
  await tx.query(
    `update window_occurrence set start = $2, from_at = $3, until_at = $4, known = known and $3 <= now() where id = $1`,
    [row.id, time(isOnce && row.from_at > now ? to.from : to.start), time(to.from), time(to.until)],
  )
  await takeEffect(tx, after, [before.target], now, row.begun)
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'window',
    id: before.id,
    clientId: before.client_id,
    detail: { ...to, why },
  })
  return { id: before.id }
}

/** @throws ProblemError no-such-window where the window has no such time, or has it no more */
async function requireOccurrence(tx: Db, id: number, start: Millis | null): Promise<OccurrenceRow> {
  const row = await firstRow<OccurrenceRow>(
    tx,
    `select ${occurrenceColumns} from window_occurrence where window_id = $1
     and ($2::timestamptz is null or start = $2) order by from_at limit 1 for update`,
    [id, time(start)],
  )
  if (!row) throw new ProblemError('no-such-window', 'This window has no such time any more. Reload the page.')
  return row
}

/** Skips, restores, ends or extends one time of a window. */
export async function actOnOccurrence(
  tx: Db,
  id: number,
  act: OccurrenceAct,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const before = await requireWindow(tx, id, viewer)
  if (act.do === 'restore') {
    if (!before.left_out.includes(act.start)) throw new ProblemError('no-such-window', 'It was not skipped.')
    const row = await addRevision(
      tx,
      { ...before, left_out: before.left_out.filter((at) => at !== act.start) },
      viewer,
      act.why,
    )
    await renewOccurrences(tx, row, now)
    await takeEffect(tx, row, [before.target], now, false)
    await noteAct(tx, before, act, viewer)
    return { id }
  }
  const row = await requireOccurrence(tx, id, act.start)
  if (act.do === 'end') return endOccurrence(tx, before, row, act.why, viewer, now)
  if (row.over || row.ended_at !== null) throw new ProblemError('already-ended')
  if (act.do === 'extend') {
    if (act.until === undefined || act.until <= Math.max(now, row.from_at)) throw endsInPast()
    return changeOccurrence(
      tx,
      before,
      row,
      { start: row.start, from: row.from_at, until: act.until },
      act.why,
      viewer,
      now,
    )
  }
  if (row.begun || row.from_at <= now)
    throw new ProblemError('invalid', 'It has begun. End it instead.', [{ at: 'start', message: 'has begun' }])
  const others = await firstRow(
    tx,
    'select from window_occurrence where window_id = $1 and id <> $2 and not over limit 1',
    [id, row.id],
  )
  // The last one that there is: a window without any would be nowhere to be seen.
  if (!others || before.rule === null) return endOccurrence(tx, before, row, act.why, viewer, now)
  const after = await addRevision(
    tx,
    {
      ...before,
      left_out: [...before.left_out, row.start],
      changed: before.changed.filter((changed) => changed.start !== row.start),
    },
    viewer,
    act.why,
  )
  await renewOccurrences(tx, after, now)
  await takeEffect(tx, after, [before.target], now, false)
  await noteAct(tx, before, act, viewer)
  return { id }
}

async function noteAct(tx: Db, { id, client_id }: WindowRow, act: OccurrenceAct, viewer: Viewer): Promise<void> {
  await audit(tx, {
    personId: viewer.id,
    action: act.do === 'skip' ? 'skipped' : act.do === 'restore' ? 'restored' : 'changed',
    kind: 'window',
    id,
    clientId: client_id,
    detail: { ...act },
  })
}

/** Ends one time of a window now; one that has not begun is cancelled. What still fails is raised at once. */
async function endOccurrence(
  tx: Db,
  before: WindowRow & Saved,
  row: OccurrenceRow,
  why: string,
  viewer: Viewer,
  now: Millis,
): Promise<{ id: number }> {
  const window = { from: row.from_at, until: row.until_at, endedAt: row.ended_at }
  if (isOver(window, now)) throw new ProblemError('already-ended')
  const isOnce = before.rule === null
  const after = await addRevision(tx, isOnce ? { ...before, ended_at: now } : before, viewer, why)
  await tx.query('update window_occurrence set ended_at = $2, ended_by = $3, over = true where id = $1', [
    row.id,
    time(Math.max(now, row.from_at)),
    viewer.id,
  ])
  await takeEffect(tx, after, [before.target], now, inForceAt(row, now))
  await audit(tx, {
    personId: viewer.id,
    action: 'ended',
    kind: 'window',
    id: before.id,
    clientId: before.client_id,
    detail: { start: row.start, why },
  })
  return { id: before.id }
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
