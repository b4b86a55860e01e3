import {
  deviceMergeSchema,
  deviceMoveSchema,
  madeSchema,
  retiredListSchema,
  retiredQuerySchema,
  type DeviceMove,
  type RetiredDevice,
  type RetiredList,
  type RetiredQuery,
} from '#contract'
import { day, hour, type ClientId, type DeviceId, type SiteId } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { reevaluate } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { requireInUse } from '../../store/clients'
import { takeOverFacts } from '../../store/currentFacts'
import { recountEntries } from '../../store/logHours'
import { requireLookable } from '../../store/lookable'
import { moveReadings } from '../../store/series'
import { cancelTasks } from '../../store/tasks'
import { wayUp } from '../../store/upstream'
import { audit, digest, makeSecret, requireClient, ofClients, type Viewer } from '../access'

interface DeviceRow {
  id: DeviceId
  name: string
  client_id: ClientId
  site_id: number
  retired_at: number | null
  merged_into: DeviceId | null
  os_family: string | null
  addresses: string[]
}

/**
 * The device, locked, in use or retired as wanted.
 * @throws ProblemError not-found also where the viewer may not see it
 */
async function take(tx: Db, viewer: Viewer, id: DeviceId, retired: boolean): Promise<DeviceRow> {
  const device = await firstRow<DeviceRow>(
    tx,
    `select id, name, client_id, site_id, retired_at, merged_into, os_family, addresses from device
     where id = $1 and (retired_at is not null) = $2 for update`,
    [id, retired],
  )
  if (!device) throw new ProblemError('no-such-device')
  requireClient(viewer, device.client_id, 'no-such-device')
  return device
}

async function refuseTakenName(tx: Db, clientId: ClientId, name: string, id: DeviceId): Promise<void> {
  const other = await firstRow<{ name: string }>(
    tx,
    'select name from device where client_id = $1 and lower(name) = lower($2) and id <> $3 and retired_at is null',
    [clientId, name, id],
  )
  if (other)
    throw new ProblemError(
      'name-in-use',
      `This client has a device named “${other.name}” already (upper and lower case count as the same). Choose another name.`,
      [{ at: 'name', message: 'in use' }],
    )
}

/** What is open ends with the device: nobody needs to do anything about it any more. */
async function closeAll(tx: Db, id: DeviceId, reason: 'retired' | 'merged'): Promise<void> {
  await cancelTasks(
    tx,
    (
      await rows<{ task_id: number }>(tx, `select task_id from response where device_id = $1 and state = 'asked'`, [id])
    ).map((row) => row.task_id),
  )
  await tx.query(`update remediation set ended_at = now(), outcome = $2 where device_id = $1 and ended_at is null`, [
    id,
    reason,
  ])
  await tx.query(`update held set ended_at = now(), outcome = $2 where device_id = $1 and ended_at is null`, [
    id,
    reason,
  ])
  await tx.query(
    `
    with closed as (update alert set status = 'closed', closed_at = now(), close_reason = $2
    where device_id = $1 and status <> 'closed' returning id)
    insert into alert_entry (alert_id, at, event, detail) select id, now(), 'closed',
    jsonb_build_object('reason', $2::text) from closed`,
    [id, reason],
  )
  await tx.query('delete from post_state where device_id = $1', [id])
}

/**
 * Says what a device is reached through.
 * @throws ProblemError invalid for one that is not in use at the same client, or is reached through this one itself
 */
async function choose(
  tx: Db,
  { id, clientId }: { id: DeviceId; clientId: ClientId },
  dependsOn: NonNullable<DeviceMove['dependsOn']>,
): Promise<void> {
  const upstream = typeof dependsOn === 'number' ? dependsOn : null
  if (upstream !== null) {
    const isThere = await firstRow(
      tx,
      'select from device where id = $1 and client_id = $2 and id <> $3 and retired_at is null',
      [upstream, clientId, id],
    )
    if (!isThere)
      throw new ProblemError('invalid', 'Choose another device of the same client, which is in use.', [
        { at: 'dependsOn', message: 'of another client, out of use, or itself' },
      ])
    const way = await wayUp(tx, upstream)
    if (way.some((device) => device.id === id))
      throw new ProblemError(
        'invalid',
        `${way[0]!.name} is reached through this device itself. Change that first, or choose another.`,
        [{ at: 'dependsOn', message: 'is behind it' }],
      )
  }
  await tx.query('update device set depends_on = $2, depends_chosen = $3 where id = $1', [
    id,
    upstream,
    dependsOn !== 'routes',
  ])
}

/** Where a device without an agent is looked at has to be where one may look, also at another site. */
async function moveAddress(tx: Db, device: DeviceRow, siteId: SiteId, address: string | undefined): Promise<void> {
  if (device.os_family !== null) {
    if (address !== undefined)
      throw new ProblemError('invalid', 'This device has an agent, which tells its addresses.', [
        { at: 'address', message: 'told by its agent' },
      ])
    return
  }
  if (address === undefined && siteId === device.site_id) return
  const kept = await requireLookable(tx, siteId, address ?? device.addresses[0] ?? '')
  await tx.query('update device set addresses = $2 where id = $1', [device.id, [kept]])
}

async function move(tx: Db, viewer: Viewer, id: DeviceId, body: DeviceMove): Promise<{ id: DeviceId }> {
  const device = await take(tx, viewer, id, false)
  const site = await firstRow<{ id: SiteId; client_id: ClientId }>(tx, 'select id, client_id from site where id = $1', [
    body.siteId ?? device.site_id,
  ])
  if (!site) throw new ProblemError('no-such-site')
  requireClient(viewer, site.client_id, 'no-such-site')
  await requireInUse(tx, site.client_id)
  await refuseTakenName(tx, site.client_id, body.name ?? device.name, id)
  await tx.query(
    `update device set name = coalesce($2, name), site_id = coalesce($3, site_id), client_id = $4,
     tags = coalesce($5, tags) where id = $1`,
    [id, body.name ?? null, body.siteId ?? null, site.client_id, body.tags ?? null],
  )
  await moveAddress(tx, device, site.id, body.address)
  // What it was reached through stays where it was.
  const dependsOn = body.dependsOn ?? (site.client_id === device.client_id ? null : 'routes')
  if (dependsOn !== null) await choose(tx, { id, clientId: site.client_id }, dependsOn)
  if (site.client_id !== device.client_id) {
    // What is open goes along; what is over stays in the books of the client where it happened.
    await tx.query(`update alert set client_id = $2 where device_id = $1 and status <> 'closed'`, [id, site.client_id])
    await tx.query('update held set client_id = $2 where device_id = $1 and ended_at is null', [id, site.client_id])
    await tx.query('update remediation set client_id = $2 where device_id = $1 and ended_at is null', [
      id,
      site.client_id,
    ])
  }
  // The silence of what it left says nothing of it any more.
  if (site.id !== device.site_id)
    await tx.query(
      `update alert set carried_by = null where device_id = $1 and status <> 'closed' and rule->>'kind' = 'silence'`,
      [id],
    )
  await reevaluate(tx, id, Date.now())
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'device',
    id,
    clientId: site.client_id,
    detail: { ...body, was: { name: device.name, siteId: device.site_id } },
  })
  announce(tx, { topic: 'estate', clientIds: [...new Set([device.client_id, site.client_id])], deviceIds: [id] })
  return { id }
}

/** A digest that no key has. */
const noKey = () => digest(makeSecret())

/** Takes a device out of use: its history is kept, its key is revoked. */
export async function retireDevice(tx: Db, viewer: Viewer, id: DeviceId): Promise<{ id: DeviceId }> {
  const device = await take(tx, viewer, id, false)
  await closeAll(tx, id, 'retired')
  await tx.query(
    'update device set retired_at = now(), key_digest = $2, reinstall_until = null, version = version + 1 where id = $1',
    [id, noKey()],
  )
  await audit(tx, { personId: viewer.id, action: 'retired', kind: 'device', id, clientId: device.client_id })
  announce(tx, { topic: 'estate', clientIds: [device.client_id], deviceIds: [id] })
  return { id }
}

/** Its old key stays revoked: for a week its agent may enrol anew under its name. */
async function bringBack(tx: Db, viewer: Viewer, id: DeviceId): Promise<{ id: DeviceId }> {
  const device = await take(tx, viewer, id, true)
  if (device.merged_into !== null)
    throw new ProblemError(
      'still-used',
      'This device was merged into another, which has its history now. Bring back nothing; split is not possible.',
    )
  await requireInUse(tx, device.client_id)
  await refuseTakenName(tx, device.client_id, device.name, id)
  await tx.query(
    'update device set retired_at = null, reinstall_until = $2, heard_at = null, version = version + 1 where id = $1',
    [id, time(Date.now() + 7 * day)],
  )
  await audit(tx, { personId: viewer.id, action: 'brought back', kind: 'device', id, clientId: device.client_id })
  announce(tx, { topic: 'estate', clientIds: [device.client_id], deviceIds: [id] })
  return { id }
}

async function expectReinstall(tx: Db, viewer: Viewer, id: DeviceId): Promise<{ id: DeviceId }> {
  const device = await take(tx, viewer, id, false)
  await tx.query('update device set reinstall_until = $2 where id = $1', [id, time(Date.now() + hour)])
  await audit(tx, {
    personId: viewer.id,
    action: 'expects a reinstall of',
    kind: 'device',
    id,
    clientId: device.client_id,
  })
  return { id }
}

/** Gives this device the history of one that it was before. The other is retired for good. */
async function merge(tx: Db, viewer: Viewer, id: DeviceId, from: DeviceId): Promise<{ id: DeviceId }> {
  if (id === from)
    throw new ProblemError('invalid', 'A device cannot be merged with itself. Choose the one that it was before.', [
      { at: 'from', message: 'the same device' },
    ])
  // In order of id, as everything that locks several devices does.
  await tx.query('select from device where id = any($1) or depends_on = $2 order by id for update', [[id, from], from])
  const device = await take(tx, viewer, id, false)
  const old = await firstRow<DeviceRow>(
    tx,
    'select id, name, client_id, site_id, retired_at, merged_into, os_family, addresses from device where id = $1',
    [from],
  )
  if (old?.client_id !== device.client_id)
    throw new ProblemError('invalid', 'Both must be devices of the same client.', [
      { at: 'from', message: 'of another client, or not there' },
    ])
  if (old.merged_into !== null)
    throw new ProblemError('invalid', `${old.name} was merged into another device already.`, [
      { at: 'from', message: 'merged already' },
    ])
  await closeAll(tx, from, 'merged')
  await moveReadings(tx, from, id)
  for (const table of ['report', 'post_change', 'alert', 'held', 'remediation', 'response'] as const)
    await tx.query(`update ${table} set device_id = $1 where device_id = $2`, [id, from])
  // Both may have read the same lines of the same log; one of each is enough.
  await tx.query(
    `insert into log_event
     select $1, at, seq, n, channel, source, event_id, level, text, shape, fields from log_event
     where device_id = $2 on conflict do nothing`,
    [id, from],
  )
  await tx.query('delete from log_event where device_id = $1', [from])
  await tx.query(
    `insert into process_top select $1, at, seq, took_ms, processes from process_top
     where device_id = $2 on conflict do nothing`,
    [id, from],
  )
  await tx.query('delete from process_top where device_id = $1', [from])
  await recountEntries(tx, id, from)
  await takeOverFacts(tx, id, from)
  await tx.query('delete from role_finding where device_id = $1', [from])
  await tx.query(
    `update device set retired_at = coalesce(retired_at, now()), merged_into = $2, key_digest = $3,
     version = version + 1 where id = $1`,
    [from, id, noKey()],
  )
  await tx.query('update device set depends_on = $1 where depends_on = $2 and id <> $1', [id, from])
  await tx.query(
    `
    update device d set enrolled_at = least(d.enrolled_at, o.enrolled_at),
    roles = array(select distinct unnest(d.roles || o.roles) order by 1),
    tags = array(select distinct unnest(d.tags || o.tags) order by 1)
    from device o where d.id = $1 and o.id = $2`,
    [id, from],
  )
  await reevaluate(tx, id, Date.now())
  await audit(tx, {
    personId: viewer.id,
    action: 'merged',
    kind: 'device',
    id,
    clientId: device.client_id,
    detail: { from, name: old.name },
  })
  announce(tx, { topic: 'estate', clientIds: [device.client_id], deviceIds: [id, from] })
  return { id }
}

async function retiredDevices(
  db: Db,
  viewer: Viewer,
  { client, words, after, limit }: RetiredQuery,
): Promise<RetiredList> {
  const where = `d.retired_at is not null and ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2)
    and ($3::text is null or d.name ilike $3)`
  const scope = [
    viewer.clientIds,
    client ?? null,
    words?.trim() ? `%${words.trim().replace(/[\\%_]/g, '\\$&')}%` : null,
  ]
  const [at, id] = after?.split(' ').map(Number) ?? []
  const found = await rows<RetiredDevice>(
    db,
    `
    select d.id, d.name, d.client_id as "clientId", c.name as "clientName", s.name as "siteName",
      date_trunc('milliseconds', d.retired_at) as "retiredAt", d.merged_into as "mergedInto"
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where ${where}
      and ($4::timestamptz is null or (date_trunc('milliseconds', d.retired_at), d.id) < ($4, $5::int))
    order by date_trunc('milliseconds', d.retired_at) desc, d.id desc limit $6`,
    [...scope, time(at ?? null), id ?? null, limit + 1],
  )
  const counted = await firstRow<{ total: number }>(
    db,
    `select count(*)::int as total from device d where ${where}`,
    scope,
  )
  const devices = found.slice(0, limit)
  const last = devices.at(-1)
  return {
    total: counted!.total,
    devices,
    next: last && found.length > devices.length ? `${last.retiredAt} ${last.id}` : null,
  }
}

export function lifecycleRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'PUT',
    url: '/api/devices/:id',
    access: 'technician',
    summary: 'Rename a device, move it to another site, set its tags',
    answer: madeSchema,
    body: deviceMoveSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => move(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/retire',
    access: 'technician',
    summary: 'Take a device out of use: its history is kept, its key is revoked',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => retireDevice(tx, viewer, id())),
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/bring-back',
    access: 'technician',
    summary: 'Take a retired device into use again; its agent enrols anew under its name',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => bringBack(tx, viewer, id())),
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/expect-reinstall',
    access: 'technician',
    summary: 'For an hour, an agent that enrols under this name takes this device over',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => expectReinstall(tx, viewer, id())),
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/merge',
    access: 'technician',
    summary: 'Give this device the history of one that it was before',
    answer: madeSchema,
    body: deviceMergeSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => merge(tx, viewer, id(), body.from)),
  })
  route(app, {
    method: 'GET',
    url: '/api/retired-devices',
    access: 'technician',
    summary: 'Devices out of use, the newest first, in parts',
    answer: retiredListSchema,
    query: retiredQuerySchema,
    handle: ({ viewer, query }) => retiredDevices(pool, viewer, query),
  })
}
