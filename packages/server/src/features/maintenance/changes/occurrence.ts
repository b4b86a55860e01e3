import type { NewWindow, OccurrenceAct } from '#contract'
import { isOver, minute, type Millis } from '#core'
import { instantOf, localOf, type Occurrence } from '#core/schedule'
import { firstRow, time, type Db } from '../../../db'
import { ProblemError } from '../../../http/problems'
import type { WindowRow } from '../../../store/windows'
import { audit, type Viewer } from '../../access'
import {
  addRevision,
  beginsInPast,
  endsInPast,
  inForceAt,
  occurrenceColumns,
  renewOccurrences,
  requireWindow,
  takeEffect,
  type OccurrenceRow,
  type Saved,
} from './revise'

/** One time of a window at another time; the others stay. */
export async function moveOccurrence(
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
  // Of one that was ended for good nothing comes any more, whatever was skipped of it.
  if (before.ended_at !== null) throw new ProblemError('already-ended')
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
