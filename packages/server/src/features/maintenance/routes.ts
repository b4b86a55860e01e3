import {
  beforeQuerySchema,
  deviceWindowsQuerySchema,
  deviceWindowsSchema,
  heldListSchema,
  madeSchema,
  newWindowSchema,
  watchlineQuerySchema,
  watchlineSchema,
  windowListSchema,
  windowPageSchema,
  windowQuerySchema,
  type DeviceWindows,
  type HeldEnding,
  type NewWindow,
  type Watchline,
  type WindowGroup,
  type WindowList,
  type WindowPage,
  type WindowQuery,
  type WindowView,
} from '#contract'
import {
  hour,
  isOver,
  knownTargetFaults,
  matcher,
  reaches,
  targetSentence,
  type DeviceTraits,
  type Target,
} from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { bumpVersions, reevaluateAll } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, mayChangeAll, requireClient, ofClients, type Viewer } from '../access'
import { heldSelect, type HeldRow } from '../alert'
import { allTraits, requireDevice } from '../estate'
import { isWithin, matching, readEstate, type Estate } from '../policy'
import { windowOf, type WindowRow } from '../../store/windows'
import { watchline } from './watchline'

type ListedRow = WindowRow & {
  created_at: number
  created_by_name: string | null
  ended_by_name: string | null
  held_now: number
  held_total: number
}

const listSelect = `
  select w.*, p.name as created_by_name, case when w.ended_at is null then null else e.name end as ended_by_name,
         (select count(*) from held h where h.window_id = w.id and h.ended_at is null)::int as held_now,
         (select count(*) from held h where h.window_id = w.id)::int as held_total
  from maintenance_window w left join person p on p.id = w.created_by left join person e on e.id = w.saved_by`

function view(row: ListedRow, estate: Estate, devices: readonly DeviceTraits[]): WindowView {
  return {
    ...windowOf(row),
    reason: row.reason,
    targetText: targetSentence(row.target, estate),
    clientId: row.client_id,
    deviceCount: matching(row.target, devices),
    createdBy: row.created_by_name ?? '',
    createdAt: row.created_at,
    endedBy: row.ended_by_name,
    heldNow: row.held_now,
    heldTotal: row.held_total,
  }
}

/** Ended or cancelled, against now() of the database. */
const isPast = 'coalesce(least(w.until_at, w.ended_at) <= now(), false)'
const inGroup: Record<WindowGroup, string> = {
  open: `not ${isPast} and w.from_at <= now()`,
  coming: `not ${isPast} and w.from_at > now()`,
  over: isPast,
}
const windowsAtOnce = 100

async function viewsOf(db: Db, viewer: Viewer, found: readonly ListedRow[]): Promise<WindowView[]> {
  const estate = await readEstate(db, viewer.clientIds)
  const devices = await allTraits(
    db,
    found.map((row) => row.target),
  )
  return found.map((row) => view(row, estate, devices))
}

async function windowList(db: Db, viewer: Viewer, { group, client, after }: WindowQuery): Promise<WindowList> {
  const where = `${ofClients('w.client_id', 1)} and ($2::int is null or w.client_id is null or w.client_id = $2)
    and ${group ? inGroup[group] : 'true'}`
  const [compare, way] = group === 'coming' ? ['>', 'asc'] : ['<', 'desc']
  const [from, id] = after?.split(' ').map(Number) ?? []
  const scope = [viewer.clientIds, client ?? null]
  const found = await rows<ListedRow>(
    db,
    `${listSelect} where ${where}
     and ($3::timestamptz is null or (w.from_at, w.id) ${compare} ($3, $4::int))
     order by w.from_at ${way}, w.id ${way} limit ${windowsAtOnce + 1}`,
    [...scope, time(from ?? null), id ?? null],
  )
  const { total } = (await firstRow<{ total: number }>(
    db,
    `select count(*)::int as total from maintenance_window w where ${where}`,
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

async function oneWindow(db: Db, viewer: Viewer, id: number): Promise<WindowView | null> {
  const found = await rows<ListedRow>(db, `${listSelect} where ${ofClients('w.client_id', 1)} and w.id = $2`, [
    viewer.clientIds,
    id,
  ])
  return (await viewsOf(db, viewer, found))[0] ?? null
}

/** Of its client or of several, of which each is tried on the device. */
const triedAtOnce = 500

/**
 * Windows that reach a device: all that are open or to come with the first part, and those that are over, the newest
 * first. A part may be empty, and more follow.
 */
async function windowsAt(
  db: Db,
  viewer: Viewer,
  device: { id: number; client_id: number },
  after?: string,
): Promise<DeviceWindows> {
  const [from, id] = after?.split(' ').map(Number) ?? []
  const isOfClient = '(w.client_id is null or w.client_id = $1)'
  const coming = after
    ? []
    : await rows<ListedRow>(
        db,
        `${listSelect} where ${isOfClient} and not ${isPast} order by w.from_at desc, w.id desc`,
        [device.client_id],
      )
  const over = await rows<ListedRow>(
    db,
    `${listSelect} where ${isOfClient} and ${isPast}
     and ($2::timestamptz is null or (w.from_at, w.id) < ($2, $3::int)) order by w.from_at desc, w.id desc limit $4`,
    [device.client_id, time(from ?? null), id ?? null, triedAtOnce],
  )
  const found = [...coming, ...over]
  const [traits] = await allTraits(
    db,
    found.map((row) => row.target),
    [device.id],
  )
  const reaching = found.filter((row) => traits && reaches(windowOf(row), traits))
  const last = over.at(-1)
  return {
    windows: await viewsOf(db, viewer, reaching),
    next: last && over.length === triedAtOnce ? `${last.from_at} ${last.id}` : null,
  }
}

/** The one client that a target belongs to, or null when it may reach several. */
async function clientOf(db: Db, target: Target): Promise<number | null> {
  if (target.on === 'client') return target.clientId
  if (target.on === 'site')
    return (
      (await firstRow<{ client_id: number }>(db, 'select client_id from site where id = $1', [target.siteId]))
        ?.client_id ?? null
    )
  if (target.on === 'all') {
    for (const part of target.of) {
      const client = await clientOf(db, part)
      if (client !== null) return client
    }
  }
  if (target.on !== 'devices') return null
  const found = await rows<{ client_id: number }>(db, 'select distinct client_id from device where id = any($1)', [
    target.deviceIds,
  ])
  return found.length === 1 ? found[0]!.client_id : null
}

/** @throws ProblemError where the target is more than the viewer may speak for, or names what is not there (yet) */
async function requireTarget(tx: Db, viewer: Viewer, target: Target): Promise<void> {
  const estate = await readEstate(tx, null)
  if (viewer.clientIds !== null && !isWithin(target, viewer.clientIds, estate))
    throw target.on === 'devices'
      ? new ProblemError('no-such-device')
      : new ProblemError('not-allowed', 'You may only do this for your own clients.')
  const faults = knownTargetFaults(target, estate).map(({ at, message }) => ({ at, message }))
  if (faults.length) throw new ProblemError('invalid', faults[0]!.message, faults)
}

/** @param pastAllowed a demo has windows in its history */
async function openWindow(
  tx: Db,
  body: NewWindow,
  viewer: Viewer,
  now: number,
  pastAllowed: boolean,
): Promise<{ id: number }> {
  const from = body.from ?? now
  if (body.until !== null && body.until <= from)
    throw new ProblemError('invalid', 'The window ends before it begins. Choose a later end.', [
      { at: 'until', message: 'not after the beginning' },
    ])
  if (!pastAllowed && from < now - 60_000)
    throw new ProblemError(
      'invalid',
      'A window cannot begin in the past: what was raised then stays raised. Begin it now.',
      [{ at: 'from', message: 'in the past' }],
    )
  await requireTarget(tx, viewer, body.target)
  const clientId = await clientOf(tx, body.target)
  if (clientId === null && !mayChangeAll(viewer))
    throw new ProblemError(
      'not-allowed',
      'A window for several clients is made by somebody who sees every client. Make one for each client.',
    )
  const { id } = (await firstRow<{ id: number }>(tx, `select nextval('policy_object_id')::int as id`))!
  await tx.query(
    `
    insert into window_revision (id, revision, name, reason, client_id, target, subject, from_at, until_at, created_by,
    created_at, saved_by)
    values ($1, 1, $2, $3, $4, $5, $6, $7, $8, $9, now(), $9)`,
    [
      id,
      body.name,
      body.reason,
      clientId,
      JSON.stringify(body.target),
      JSON.stringify(body.subject),
      time(from),
      time(body.until),
      viewer.id,
    ],
  )
  await tx.query('insert into window_progress (window_id) values ($1)', [id])
  const touched = (await allTraits(tx, [body.target])).filter(matcher(body.target))
  await bumpVersions(
    tx,
    touched.map((device) => device.id),
  )
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'window', id, clientId, detail: { ...body } })
  announce(tx, {
    topic: 'windows',
    clientIds: clientId === null ? null : [clientId],
    deviceIds: touched.map((device) => device.id),
  })
  return { id }
}

async function endWindow(tx: Db, id: number, viewer: Viewer, now: number): Promise<{ id: number }> {
  const row = await firstRow<WindowRow>(tx, 'select * from maintenance_window where id = $1', [id])
  if (!row) throw new ProblemError('no-such-window')
  if (row.client_id !== null) requireClient(viewer, row.client_id, 'no-such-window')
  else if (!mayChangeAll(viewer)) throw new ProblemError('no-such-window')
  const window = windowOf(row)
  if (isOver(window, now)) throw new ProblemError('already-ended')
  await tx.query(
    `
    insert into window_revision (id, revision, name, reason, client_id, target, subject, from_at, until_at, ended_at,
    created_by, created_at, saved_by)
    select id, revision + 1, name, reason, client_id, target, subject, from_at, until_at, $2, created_by, created_at, $3
    from maintenance_window where id = $1`,
    [id, time(Math.max(now, window.from)), viewer.id],
  )
  await tx.query('update window_progress set over = true where window_id = $1', [id])
  const touched = (await allTraits(tx, [window.target])).filter(matcher(window.target))
  await reevaluateAll(tx, new Map(touched.map((device) => [device.id, null])), now)
  await audit(tx, { personId: viewer.id, action: 'ended', kind: 'window', id, clientId: row.client_id })
  announce(tx, {
    topic: 'windows',
    clientIds: row.client_id === null ? null : [row.client_id],
    deviceIds: touched.map((device) => device.id),
  })
  return { id }
}

export function maintenanceRoutes(app: FastifyInstance, pool: Pool, pastAllowed: boolean): void {
  route(app, {
    method: 'GET',
    url: '/api/windows',
    access: 'contact',
    summary: 'Maintenance windows of a group, or of all, in parts',
    answer: windowListSchema,
    query: windowQuerySchema,
    handle: ({ viewer, query }) => windowList(pool, viewer, query),
  })
  route(app, {
    method: 'GET',
    url: '/api/windows/:id',
    access: 'contact',
    summary: 'One window with its record',
    answer: windowPageSchema,
    async handle({ viewer, id }): Promise<WindowPage> {
      const window = await oneWindow(pool, viewer, id())
      if (!window) throw new ProblemError('no-such-window')
      const endings = await rows<HeldEnding>(
        pool,
        `select outcome, count(*)::int as count from held h
         where h.window_id = $1 and ${ofClients('h.client_id', 2)} group by 1 order by 2 desc`,
        [id(), viewer.clientIds],
      )
      return { ...window, endings }
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/windows/:id/record',
    access: 'contact',
    summary: 'What a window held back, the newest first, in parts',
    answer: heldListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query }) {
      if (!(await oneWindow(pool, viewer, id()))) throw new ProblemError('no-such-window')
      return rows<HeldRow>(
        pool,
        `${heldSelect} where h.window_id = $1 and ${ofClients('h.client_id', 2)} and ($3::bigint is null or h.id < $3)
         order by h.id desc limit $4`,
        [id(), viewer.clientIds, query.before ?? null, query.limit],
      )
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/windows',
    access: 'contact',
    summary: 'Windows that reach a device, the newest first, in parts',
    answer: deviceWindowsSchema,
    query: deviceWindowsQuerySchema,
    // A window for every client reaches this one too, so a contact sees it at the device.
    handle: async ({ viewer, id, query }) =>
      windowsAt(pool, viewer, await requireDevice(pool, viewer, id()), query.after),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows',
    access: 'technician',
    summary: 'Make a maintenance window',
    answer: madeSchema,
    body: newWindowSchema,
    handle: ({ body, viewer }) => inTransaction(pool, (tx) => openWindow(tx, body, viewer, Date.now(), pastAllowed)),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/:id/end',
    access: 'technician',
    summary: 'End a window now; what still fails is raised at once',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => endWindow(tx, id(), viewer, Date.now())),
  })
  route(app, {
    method: 'GET',
    url: '/api/watchline',
    access: 'contact',
    summary: 'Alerts and windows of the last 24 and the next 12 hours: a lane for each client, or one for many',
    answer: watchlineSchema,
    query: watchlineQuerySchema,
    handle: ({ viewer, query }): Promise<Watchline> =>
      watchline(pool, viewer, query.client ?? null, Date.now(), 24 * hour, 12 * hour),
  })
}
