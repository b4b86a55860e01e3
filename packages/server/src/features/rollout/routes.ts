import { batchLimits, enrolmentRequestSchema, newEnrolmentKeySchema, type Enrolment, type EnrolmentKeyView, type EnrolmentRequest, type MadeEnrolmentKey, type NewEnrolmentKey } from '#contract'
import { day, minute } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { settingsOf, type Engine } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, digest, makeSecret, needClient } from '../access'

export const defaultInterval = minute

interface KeyRow { id: number; site_id: number; client_id: number; client_name: string; site_name: string; kind: string; roles: string[]; tags: string[] }

/** Takes one use of a key. Why it was refused is for the technician, in Rollout, and not for whoever holds the key. */
async function useKey(tx: Db, key: string): Promise<KeyRow> {
  const row = await firstRow<KeyRow>(tx, `
    update enrolment_key k set uses_left = uses_left - 1
    from site s join client c on c.id = s.client_id
    where k.secret_digest = $1 and s.id = k.site_id and k.uses_left > 0 and k.expires_at > now() and k.revoked_at is null
    returning k.id, k.site_id, s.client_id, c.name as client_name, s.name as site_name, k.kind, k.roles, k.tags`, [digest(key)])
  if (!row) throw new ProblemError('enrolment-key-refused')
  return row
}

async function enrol(tx: Db, request: EnrolmentRequest, interval: number): Promise<Enrolment> {
  const key = await useKey(tx, request.key)
  const secret = makeSecret()
  const device = await firstRow<{ id: number }>(tx, `
    insert into device (client_id, site_id, name, kind, os_family, os_name, roles, tags, key_digest, interval_ms)
    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
    on conflict (client_id, lower(name)) where retired_at is null do nothing returning id`,
    [key.client_id, key.site_id, request.name, key.kind, request.osFamily, request.osName, key.roles, key.tags, digest(secret), interval])
  if (!device) throw new ProblemError('name-in-use', `${key.client_name} has a device named “${request.name}” already (letter case is no difference). Give this one another name.`)
  await audit(tx, { personId: null, action: 'enrolled', kind: 'device', id: device.id, clientId: key.client_id, detail: { name: request.name, enrolmentKey: key.id } })
  await announce(tx, { topic: 'estate', clientIds: [key.client_id], deviceIds: [device.id] })
  return {
    deviceId: device.id,
    deviceKey: `cdk.${device.id}.${secret}`,
    clockOffset: request.sentAt - Date.now(),
    settings: settingsOf({ interval, name: request.name, clientName: key.client_name, siteName: key.site_name }),
  }
}

export function rolloutRoutes(app: FastifyInstance, pool: Pool, engine: Engine, interval: number): void {
  route<EnrolmentRequest>(app, {
    method: 'POST', url: '/api/agent/enrol', access: 'public', summary: 'An agent enrols its device with a key', body: enrolmentRequestSchema,
    handle: ({ body }) => inTransaction(pool, (tx) => enrol(tx, body, interval)),
  })

  route(app, {
    method: 'GET', url: '/api/agent/self', access: 'device', summary: 'What a device is told about itself; says whether its key is taken',
    handle: ({ request }) => engine.self(request.headers.authorization),
  })

  route(app, {
    method: 'POST', url: '/api/agent/reports', access: 'device', summary: 'An agent hands in a batch of reports, gzipped if it likes', bodyLimit: batchLimits.bytes,
    handle: ({ request }) => engine.take(request.headers.authorization, request.body, Date.now()),
  })

  route<NewEnrolmentKey>(app, {
    method: 'POST', url: '/api/enrolment-keys', access: 'technician', summary: 'Make an enrolment key for a site', body: newEnrolmentKeySchema,
    handle: ({ body, viewer }): Promise<MadeEnrolmentKey> => inTransaction(pool, async (tx) => {
      const site = await firstRow<{ client_id: number }>(tx, 'select client_id from site where id = $1', [body.siteId])
      if (!site) throw new ProblemError('not-found', 'There is no such site.')
      needClient(viewer, site.client_id)
      const unknown = await rows<{ id: string }>(tx, 'select r as id from unnest($1::text[]) r where r not in (select id from role)', [body.roles ?? []])
      if (unknown.length) throw new ProblemError('invalid', `There is no role “${unknown[0]!.id}”.`, [{ at: 'roles', message: 'unknown role' }])
      const key = makeSecret()
      const made = await firstRow<{ id: number }>(tx, `
        insert into enrolment_key (site_id, secret_digest, label, uses_left, expires_at, kind, roles, tags, created_by) values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
        [body.siteId, digest(key), body.label ?? '', body.uses, new Date(Date.now() + body.days * day), body.kind, body.roles, body.tags, viewer.id])
      await audit(tx, { personId: viewer.id, action: 'made', kind: 'enrolment key', id: made!.id, clientId: site.client_id })
      return { id: made!.id, key }
    }),
  })

  route(app, {
    method: 'GET', url: '/api/enrolment-keys', access: 'technician', summary: 'Enrolment keys, without their secrets',
    handle: ({ viewer }): Promise<EnrolmentKeyView[]> => rows(pool, `
      select k.id, k.site_id as "siteId", s.name as "siteName", c.name as "clientName", k.label, k.uses_left as "usesLeft", k.expires_at as "expiresAt",
             k.revoked_at is not null as revoked, k.kind, k.roles, k.tags, coalesce(p.name, '') as "createdBy"
      from enrolment_key k join site s on s.id = k.site_id join client c on c.id = s.client_id left join person p on p.id = k.created_by
      where $1::int[] is null or c.id = any($1) order by k.id desc limit 500`, [viewer.clientIds]),
  })

  route(app, {
    method: 'DELETE', url: '/api/enrolment-keys/:id', access: 'technician', summary: 'Revoke an enrolment key',
    handle: ({ id, viewer }) => inTransaction(pool, async (tx) => {
      const row = await firstRow<{ client_id: number }>(tx, `
        update enrolment_key k set revoked_at = coalesce(revoked_at, now()) from site s
        where k.id = $1 and s.id = k.site_id and ($2::int[] is null or s.client_id = any($2)) returning s.client_id`, [id(), viewer.clientIds])
      if (!row) throw new ProblemError('not-found')
      await audit(tx, { personId: viewer.id, action: 'revoked', kind: 'enrolment key', id: id(), clientId: row.client_id })
      return { revoked: true }
    }),
  })
}
