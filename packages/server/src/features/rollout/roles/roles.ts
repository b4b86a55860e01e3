import { decidedSchema, roleDecisionsSchema, roleFindingsSchema, type RoleDecisions, type RoleFinding } from '#contract'
import type { DeviceId, RoleId } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { reevaluate } from '../../../engine'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { announce } from '../../../live'
import { audit, ofClients, type Viewer } from '../../access'

/** Carries a decision out for one device; its role is given, kept or removed. */
async function decide(
  tx: Db,
  deviceId: DeviceId,
  roles: RoleId[],
  { decision }: RoleDecisions,
  viewer: Viewer,
): Promise<number> {
  const device = await firstRow<{ client_id: number; roles: RoleId[] }>(
    tx,
    `select client_id, roles from device
     where id = $1 and retired_at is null and ${ofClients('client_id', 2)} for update`,
    [deviceId, viewer.clientIds],
  )
  if (!device) throw new ProblemError('no-such-device')
  const decided = await rows<{ role: RoleId }>(
    tx,
    `update role_finding set decision = $3, decided_by = $4, decided_at = now() where device_id = $1 and role = any($2)
     returning role`,
    [deviceId, roles, decision, viewer.id],
  )
  const named = decided.map((row) => row.role)
  const after =
    decision === 'declined'
      ? device.roles.filter((role) => !named.includes(role))
      : [...new Set([...device.roles, ...named])]
  if (after.length !== device.roles.length) {
    await tx.query('update device set roles = $2 where id = $1', [deviceId, after])
    await reevaluate(tx, deviceId, Date.now())
  }
  await audit(tx, {
    personId: viewer.id,
    action: `${decision} a role of`,
    kind: 'device',
    id: deviceId,
    clientId: device.client_id,
    detail: { roles: named },
  })
  announce(tx, { topic: 'policy', clientIds: [device.client_id], deviceIds: [deviceId] })
  return named.length
}

export function roleRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/role-findings',
    access: 'technician',
    summary: 'Roles that facts speak for and nobody has decided about, and roles taken that no longer show',
    answer: roleFindingsSchema,
    handle: ({ viewer }) =>
      rows<RoleFinding>(
        pool,
        `
      select f.device_id as "deviceId", d.name as "deviceName", d.client_id as "clientId", c.name as "clientName",
      s.name as "siteName", f.role, f.evidence, f.found_at as "foundAt", f.decision
      from role_finding f join device d on d.id = f.device_id join client c on c.id = d.client_id
      join site s on s.id = d.site_id
      where d.retired_at is null and ${ofClients('d.client_id', 1)}
        and (f.decision is null and not f.role = any(d.roles) or f.decision = 'accepted' and f.evidence = '[]'
        and f.role = any(d.roles))
      order by f.role, c.name, d.name limit 5000`,
        [viewer.clientIds],
      ),
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
        for (const { deviceId, role } of body.findings)
          byDevice.set(deviceId, [...(byDevice.get(deviceId) ?? []), role])
        let decided = 0
        // In order of id, as everything that locks several devices does.
        for (const deviceId of [...byDevice.keys()].sort((a, b) => a - b))
          decided += await decide(tx, deviceId, byDevice.get(deviceId)!, body, viewer)
        return { decided }
      }),
  })
}
