import type { DeviceWindows, WindowGroup, WindowList, WindowQuery, WindowView } from '#contract'
import { reaches, targetSentence, type DeviceTraits, type Millis } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import { occurrenceEnd, windowOf, type WindowRow } from '../../store/windows'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'
import { matching, readEstate, type Estate } from '../policy'

export type ListedRow = WindowRow & {
  occurrence_id: number
  start: Millis
  from_at: Millis
  until_at: Millis | null
  occurrence_ended_at: Millis | null
  next_from: Millis | null
  created_by_name: string | null
  ended_by_name: string | null
  owner: string | null
  held_now: number
  held_total: number
}

/** A window a row, at the time that is in force, else at the next, else at the last; $1: clients that somebody sees. */
export const listSelect = `
  select w.*, o.id as occurrence_id, o.start, o.from_at, o.until_at, o.ended_at as occurrence_ended_at,
         (select min(n.from_at) from window_occurrence n where n.window_id = w.id and n.from_at > o.from_at
          and n.ended_at is null) as next_from,
         p.name as created_by_name, e.name as ended_by_name, r.name as owner,
         (select count(*) from held h where h.window_id = w.id and h.ended_at is null
          and ${ofClients('h.client_id', 1)})::int as held_now,
         (select count(*) from held h where h.window_id = w.id and ${ofClients('h.client_id', 1)})::int as held_total
  from maintenance_window w
  cross join lateral (
    select * from window_occurrence o where o.window_id = w.id
    order by ${occurrenceEnd} <= now(), case when ${occurrenceEnd} > now() then o.from_at end, o.from_at desc limit 1
  ) o
  left join person p on p.id = w.created_by
  left join person r on r.id = w.owner_id
  left join person e on e.id = o.ended_by`

function view(row: ListedRow, estate: Estate, devices: readonly DeviceTraits[]): WindowView {
  return {
    ...windowOf({ ...row, ended_at: row.occurrence_ended_at }),
    revision: row.revision,
    start: row.start,
    reason: row.reason,
    ticket: row.ticket,
    ownerId: row.owner_id,
    owner: row.owner,
    targetText: targetSentence(row.target, estate),
    clientId: row.client_id,
    deviceCount: matching(row.target, devices),
    zone: row.zone,
    starts: row.starts,
    length: row.length_ms,
    rule: row.rule,
    next: row.next_from,
    reviewAt: row.review_at,
    createdBy: row.created_by_name ?? '',
    createdAt: row.created_at,
    endedBy: row.ended_by_name,
    heldNow: row.held_now,
    heldTotal: row.held_total,
  }
}

/** At the time that is told, ended or cancelled, against now() of the database. */
const isPast = `${occurrenceEnd} <= now()`
const inGroup: Record<WindowGroup, string> = {
  open: `not ${isPast} and o.from_at <= now()`,
  coming: `not ${isPast} and o.from_at > now()`,
  over: isPast,
}
const windowsAtOnce = 100

export async function viewsOf(db: Db, viewer: Viewer, found: readonly ListedRow[]): Promise<WindowView[]> {
  const estate = await readEstate(db, viewer.clientIds)
  const devices = await allTraits(
    db,
    found.map((row) => row.target),
  )
  return found.map((row) => view(row, estate, devices))
}

const keyOf = (text: string | undefined): [number | null, number | null] => {
  const [from, id] = text?.split(' ').map(Number) ?? []
  return [from ?? null, id ?? null]
}

export async function windowList(db: Db, viewer: Viewer, { group, client, after }: WindowQuery): Promise<WindowList> {
  const where = `${ofClients('w.client_id', 1)} and ($2::int is null or w.client_id is null or w.client_id = $2)
    and ${group ? inGroup[group] : 'true'}`
  const [compare, way] = group === 'coming' ? ['>', 'asc'] : ['<', 'desc']
  const [from, id] = keyOf(after)
  const scope = [viewer.clientIds, client ?? null]
  const found = await rows<ListedRow>(
    db,
    `${listSelect} where ${where}
     and ($3::timestamptz is null or (date_trunc('milliseconds', o.from_at), w.id) ${compare} ($3, $4::int))
     order by date_trunc('milliseconds', o.from_at) ${way}, w.id ${way} limit ${windowsAtOnce + 1}`,
    [...scope, time(from), id],
  )
  const { total } = (await firstRow<{ total: number }>(
    db,
    `select count(*)::int as total from (${listSelect} where ${where}) listed`,
    scope,
  ))!
  const shown = found.slice(0, windowsAtOnce)
  const last = shown.at(-1)
  return {
    total,
    windows: await viewsOf(db, viewer, shown),
    next: last && found.length > shown.length ? `${last.from_at} ${last.id}` : null,
  }
}

/** The row of a window that a viewer may see. */
export async function listedRow(db: Db, viewer: Viewer, id: number): Promise<ListedRow | null> {
  return firstRow<ListedRow>(db, `${listSelect} where ${ofClients('w.client_id', 1)} and w.id = $2`, [
    viewer.clientIds,
    id,
  ])
}

/** Of its client or of several, of which each is tried on the device. */
const triedAtOnce = 500

/**
 * Windows that reach a device: all that are open or to come with the first part, and those that are over, the newest
 * first. A part may be empty, and more follow.
 */
export async function windowsAt(
  db: Db,
  viewer: Viewer,
  device: { id: number; client_id: number },
  after?: string,
): Promise<DeviceWindows> {
  const [from, id] = keyOf(after)
  const isOfClient = '(w.client_id is null or w.client_id = $2)'
  const scope = [viewer.clientIds, device.client_id]
  const coming = after
    ? []
    : await rows<ListedRow>(
        db,
        `${listSelect} where ${isOfClient} and not ${isPast} order by o.from_at desc, w.id desc`,
        scope,
      )
  const over = await rows<ListedRow>(
    db,
    `${listSelect} where ${isOfClient} and ${isPast}
     and ($3::timestamptz is null or (date_trunc('milliseconds', o.from_at), w.id) < ($3, $4::int))
     order by date_trunc('milliseconds', o.from_at) desc, w.id desc limit $5`,
    [...scope, time(from), id, triedAtOnce],
  )
  const found = [...coming, ...over]
  const [traits] = await allTraits(
    db,
    found.map((row) => row.target),
    [device.id],
  )
  const reaching = found.filter((row) => traits && reaches({ clientId: row.client_id, target: row.target }, traits))
  const last = over.at(-1)
  return {
    windows: await viewsOf(db, viewer, reaching),
    next: last && over.length === triedAtOnce ? `${last.from_at} ${last.id}` : null,
  }
}
