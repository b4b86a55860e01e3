import type {
  HeldEnding,
  OccurrenceView,
  UncoveredAlert,
  UncoveredList,
  WindowAdvice,
  WindowPage,
  WindowRevision,
} from '#contract'
import { day, minute, watchKind, type Millis } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { occurrenceEnd } from '../../store/windows'
import { ofClients, type Viewer } from '../access'
import { devicesIn } from './draft'
import { listedRow, viewsOf, type ListedRow } from './views'

/** So long after the end of a window what begins on its devices is taken for the rest of the work. */
const afterwards: Millis = 30 * minute
const shownPast = 30
const shownComing = 12

/**
 * Times of a window with what came of each. What was not covered are alerts on its devices, raised while it was in
 * force: `alert_device` serves it, a look for each device and time.
 */
async function occurrences(
  db: Db,
  viewer: Viewer,
  { id, target }: ListedRow,
  of: 'coming' | 'past',
): Promise<OccurrenceView[]> {
  const [where, order, most] =
    of === 'coming'
      ? [`o.from_at > now() and o.ended_at is null`, 'o.from_at', shownComing]
      : [`(o.from_at <= now() or o.ended_at is not null)`, 'o.from_at desc', shownPast]
  const devices = of === 'past' ? (await devicesIn(db, target)).map((device) => device.id) : []
  return rows<OccurrenceView>(
    db,
    `
    select o.id, o.start, o.from_at as "from", o.until_at as until, o.ended_at as "endedAt", p.name as "endedBy",
      o.begun,
      coalesce(h.held, 0) as held, coalesce(h.raised, 0) as raised,
      coalesce(a.overrun, 0) as overrun, coalesce(a.uncovered, 0) as uncovered
    from (
      select * from window_occurrence o where o.window_id = $1 and ${where} order by ${order} limit ${most}
    ) o
    left join person p on p.id = o.ended_by
    left join lateral (
      select count(*)::int as held, (count(*) filter (where h.outcome = 'raised'))::int as raised
      from held h where h.occurrence_id = o.id and ${ofClients('h.client_id', 2)}
    ) h on true
    left join lateral (
      select (count(*) filter (where a.raised_at >= ${occurrenceEnd} and a.window_id is null))::int as overrun,
        (count(*) filter (where a.raised_at < ${occurrenceEnd}))::int as uncovered
      from alert a
      where a.device_id = any($3) and a.close_reason is distinct from 'history' and a.raised_at >= o.from_at
        and ${ofClients('a.client_id', 2)}
        and a.raised_at < ${occurrenceEnd} + make_interval(secs => $4) and a.raised_at <= now()
    ) a on o.ended_at is distinct from o.from_at
    order by ${order}`,
    [id, viewer.clientIds, devices, afterwards / 1000],
  )
}

/** So often it must have come before its record says anything. */
const leastTimes = 5

function adviceOf(row: ListedRow, past: readonly OccurrenceView[], now: Millis): WindowAdvice[] {
  const over = past.filter(
    (each) => each.endedAt !== each.from && Math.min(each.until ?? Infinity, each.endedAt ?? Infinity) <= now,
  )
  const advice: WindowAdvice[] = []
  const repeats = row.rule !== null && row.ended_at === null
  if (repeats && over.length >= leastTimes) {
    if (row.held_total === 0) advice.push('never-held')
    const late = over.filter((each) => each.raised + each.overrun > 0).length
    if (late > over.length / 2) advice.push('overruns')
  }
  const isOver = Math.min(row.until_at ?? Infinity, row.occurrence_ended_at ?? Infinity) <= now
  if (row.review_at !== null && row.review_at < now && !(isOver && row.next_from === null)) advice.push('review')
  return advice
}

/** @throws ProblemError no-such-window */
async function requireListed(db: Db, viewer: Viewer, id: number): Promise<ListedRow> {
  const row = await listedRow(db, viewer, id)
  if (!row) throw new ProblemError('no-such-window')
  return row
}

export async function windowPage(db: Db, viewer: Viewer, id: number, now: Millis): Promise<WindowPage> {
  const row = await requireListed(db, viewer, id)
  const [window] = await viewsOf(db, viewer, [row])
  const past = await occurrences(db, viewer, row, 'past')
  const endings = await rows<HeldEnding>(
    db,
    `select outcome, count(*)::int as count from held h
     where h.window_id = $1 and ${ofClients('h.client_id', 2)} group by 1 order by 2 desc`,
    [id, viewer.clientIds],
  )
  const revisions = await rows<WindowRevision>(
    db,
    `select w.revision, coalesce(p.name, '') as "savedBy", w.saved_at as "savedAt", w.why, w.name, w.rule, w.starts,
       w.zone,
       w.length_ms as length, w.ended_at as "endedAt"
     from window_revision w left join person p on p.id = w.saved_by
     where w.id = $1 order by w.revision desc limit 50`,
    [id],
  )
  const counted = await firstRow<{ past: number }>(
    db,
    `select count(*)::int as past from window_occurrence
     where window_id = $1 and (from_at <= now() or ended_at is not null)`,
    [id],
  )
  const continues = await firstRow<{ id: number; name: string }>(
    db,
    `select o.id, o.name from maintenance_window w join maintenance_window o on o.id = w.continues
     where w.id = $1 and ${ofClients('o.client_id', 2)}`,
    [id, viewer.clientIds],
  )
  return {
    ...window!,
    endings,
    coming: await occurrences(db, viewer, row, 'coming'),
    past,
    pastCount: counted!.past,
    skipped: row.left_out.filter((at) => at > now - day).sort((a, b) => a - b),
    revisions,
    advice: adviceOf(row, past, now),
    continues: continues ?? null,
  }
}

const uncoveredAtOnce = 200

/** Alerts on the devices of a window that were raised while one of its times was in force, and that it did not hold. */
export async function uncoveredAlerts(
  db: Db,
  viewer: Viewer,
  id: number,
  occurrence: number | null,
): Promise<UncoveredList> {
  const row = await requireListed(db, viewer, id)
  const devices = (await devicesIn(db, row.target)).map((device) => device.id)
  const found = await rows<Omit<UncoveredAlert, 'family'> & { kind: string; total: number }>(
    db,
    `
    select a.id as "alertId", a.device_id as "deviceId", d.name as "deviceName", a.watch, a.instance, a.severity,
      a.raised_at as "raisedAt", coalesce(a.evidence->>'text', a.rule->>'name') as text, a.rule->>'kind' as kind,
      (count(*) over ())::int as total
    from window_occurrence o join alert a on a.raised_at >= o.from_at and a.raised_at < ${occurrenceEnd}
    join device d on d.id = a.device_id
    where o.window_id = $2 and o.id = coalesce($1, (select n.id from window_occurrence n where n.window_id = $2
      and n.from_at <= now() order by n.from_at desc limit 1))
      and a.device_id = any($3) and a.close_reason is distinct from 'history' and ${ofClients('a.client_id', 4)}
    order by a.raised_at desc limit $5`,
    [occurrence, id, devices, viewer.clientIds, uncoveredAtOnce],
  )
  return {
    total: found[0]?.total ?? 0,
    alerts: found.map(({ kind, total: _, ...alert }) => ({ ...alert, family: watchKind(kind).subject })),
  }
}
