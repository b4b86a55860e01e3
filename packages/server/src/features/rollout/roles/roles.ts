import {
  decidedSchema,
  roleDecisionsSchema,
  roleFindingPageSchema,
  roleFindingQuerySchema,
  type RoleDecision,
  type RoleFinding,
  type RoleFindingGroup,
  type RoleFindingPage,
  type RoleFindingQuery,
} from '#contract'
import { groupsBy, type ClientId, type DeviceId, type RoleId } from '#core'
import type { FastifyInstance } from 'fastify'
import { inTransaction, rows, type Db, type Pool } from '../../../db'
import { reevaluateAll } from '../../../engine'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { announce } from '../../../live'
import { auditAll, ofClients, type Viewer } from '../../access'

/** Carries a decision out: roles are given, kept or removed, on all devices or, where one is not seen, on none. */
async function decide(
  tx: Db,
  viewer: Viewer,
  decision: RoleDecision,
  wanted: ReadonlyMap<DeviceId, readonly RoleId[]>,
): Promise<number> {
  const ids = [...wanted.keys()]
  // In order of id, as everything that locks several devices does.
  const devices = await rows<{ id: DeviceId; client_id: ClientId; roles: RoleId[] }>(
    tx,
    `select id, client_id, roles from device
     where id = any($1) and retired_at is null and ${ofClients('client_id', 2)} order by id for update`,
    [ids, viewer.clientIds],
  )
  if (devices.length !== ids.length) throw new ProblemError('no-such-device')
  const pairs = [...wanted].flatMap(([id, roles]) => roles.map((role) => [id, role] as const))
  const decided = await rows<{ id: DeviceId; role: RoleId }>(
    tx,
    `update role_finding f set decision = $3, decided_by = $4, decided_at = now()
     from unnest($1::int[], $2::text[]) w (id, role) where f.device_id = w.id and f.role = w.role
     returning f.device_id as id, f.role`,
    [pairs.map(([id]) => id), pairs.map(([, role]) => role), decision, viewer.id],
  )
  const of = groupsBy(decided, ({ id }) => id)
  const named = (id: DeviceId) => (of.get(id) ?? []).map(({ role }) => role)
  const moved = devices.flatMap(({ id, roles }) => {
    const after =
      decision === 'declined'
        ? roles.filter((role) => !named(id).includes(role))
        : [...new Set([...roles, ...named(id)])]
    return after.length === roles.length ? [] : [{ id, roles: after }]
  })
  await tx.query(
    `update device d set roles = m.roles from jsonb_to_recordset($1) m (id int, roles text[]) where d.id = m.id`,
    [JSON.stringify(moved)],
  )
  await reevaluateAll(tx, new Map(moved.map(({ id }) => [id, null])), Date.now())
  await auditAll(
    tx,
    devices.map(({ id, client_id }) => ({
      personId: viewer.id,
      action: `${decision} a role of`,
      kind: 'device',
      id,
      clientId: client_id,
      detail: { roles: named(id) },
    })),
  )
  announce(tx, { topic: 'policy', clientIds: [...new Set(devices.map((row) => row.client_id))], deviceIds: ids })
  return decided.length
}

/** What is open on a device in use: suggested and not decided, or accepted and no longer showing. */
const isOpen = `d.retired_at is null and (f.decision is null and not f.role = any(d.roles)
        or f.decision = 'accepted' and f.evidence = '[]' and f.role = any(d.roles))`

/** Every role with its count, and the first devices of each. */
async function page(pool: Pool, viewer: Viewer, { client, limit }: RoleFindingQuery): Promise<RoleFindingPage> {
  const found = await rows<RoleFinding & { total: number; n: number }>(
    pool,
    `
    select * from (
      select f.device_id as "deviceId", d.name as "deviceName", d.client_id as "clientId", c.name as "clientName",
      s.name as "siteName", f.role, f.evidence, f.found_at as "foundAt", f.decision,
      count(*) over of_role::int as total, row_number() over (of_role order by c.name, d.name) as n
      from role_finding f join device d on d.id = f.device_id join client c on c.id = d.client_id
      join site s on s.id = d.site_id
      where ${isOpen} and ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2)
      window of_role as (partition by f.role, f.decision)
    ) found where n <= $3 order by role, n limit 100000`,
    [viewer.clientIds, client ?? null, limit],
  )
  const groups = (decision: RoleDecision | null): RoleFindingGroup[] => {
    const byRole = groupsBy(
      found.filter((finding) => finding.decision === decision),
      (finding) => finding.role,
    )
    return [...byRole].map(([role, findings]) => ({
      role,
      total: findings[0]!.total,
      findings: findings.map(({ total: _total, n: _n, ...finding }) => finding),
    }))
  }
  const [suggested, gone] = [groups(null), groups('accepted')]
  return { total: [...suggested, ...gone].reduce((sum, group) => sum + group.total, 0), suggested, gone }
}

/**
 * Every device that the role is suggested for.
 * @throws ProblemError when there is none (any more)
 */
async function suggestedFor(tx: Db, viewer: Viewer, role: RoleId, clientId: ClientId | null): Promise<DeviceId[]> {
  const found = await rows<{ id: DeviceId }>(
    tx,
    `
    select d.id from role_finding f join device d on d.id = f.device_id
    where f.role = $1 and f.decision is null and ${isOpen} and ${ofClients('d.client_id', 2)}
      and ($3::int is null or d.client_id = $3) order by d.id limit 20000`,
    [role, viewer.clientIds, clientId],
  )
  if (!found.length)
    throw new ProblemError('invalid', 'It is not suggested for any device there any more.', [
      { at: 'role', message: 'no such suggestion' },
    ])
  return found.map(({ id }) => id)
}

export function roleRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/role-findings',
    access: 'technician',
    summary: 'Roles that facts speak for and nobody has decided about, and roles taken that no longer show',
    answer: roleFindingPageSchema,
    query: roleFindingQuerySchema,
    handle: ({ viewer, query }) => page(pool, viewer, query),
  })
  route(app, {
    method: 'POST',
    url: '/api/role-findings/decide',
    access: 'technician',
    summary: 'Accept, pin or decline roles, for one device or for many',
    answer: decidedSchema,
    body: roleDecisionsSchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, async (tx) => {
        const byDevice = new Map<DeviceId, RoleId[]>()
        if ('role' in body)
          for (const id of await suggestedFor(tx, viewer, body.role, body.clientId)) byDevice.set(id, [body.role])
        else
          for (const { deviceId, role } of body.findings)
            byDevice.set(deviceId, [...(byDevice.get(deviceId) ?? []), role])
        return { decided: await decide(tx, viewer, body.decision, byDevice) }
      }),
  })
}
