import {
  beforeQuerySchema,
  enrolmentAttemptsSchema,
  enrolmentKeyPageSchema,
  enrolmentKeysSchema,
  madeEnrolmentKeySchema,
  newEnrolmentKeySchema,
  revokedSchema,
  type EnrolledDevice,
  type EnrolmentAttempt,
  type EnrolmentKeyPage,
  type EnrolmentKeyView,
  type NewEnrolmentKey,
} from '#contract'
import { day, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import type { PublicAddress } from '../../../http/transport'
import { requireInUse } from '../../../store/clients'
import { audit, digest, makeSecret, mayChangeAll, requireClient, ofClients, type Viewer } from '../../access'
import { allTraits } from '../../estate'
import { policyInForce, targetsOf } from '../../policy'

const keySelect = `
  select k.id, k.site_id as "siteId", s.name as "siteName", k.client_id as "clientId", c.name as "clientName", k.label,
  k.uses, k.uses_left as "usesLeft", k.expires_at as "expiresAt",
         case when k.revoked_at is not null then 'revoked' when k.expires_at <= now() then 'expired'
         when k.uses_left = 0 then 'used up' else 'good' end as state,
         k.kind, k.roles, k.tags, k.created_at as "createdAt", coalesce(p.name, '') as "createdBy"
  from enrolment_key k left join site s on s.id = k.site_id left join client c on c.id = k.client_id left
  join person p on p.id = k.created_by
  where ${ofClients('k.client_id', 1)}`

interface AttemptRow extends Omit<EnrolmentAttempt, 'device'> {
  device_id: number | null
  device_name: string
  /** It may have gone to another client since. */
  device_client: number
  client_name: string
  site_name: string
  heard_at: Millis | null
  starts_at_boot: boolean | null
}

const attemptSelect = `
  select a.id, a.at, a.name, a.os_name as "osName", a.address, a.clock_offset_ms as "clockOffset", a.outcome, a.code,
  a.reason,
         a.device_id, d.name as device_name, d.client_id as device_client, d.heard_at, d.starts_at_boot,
         c.name as client_name, s.name as site_name
  from enrolment_attempt a left join device d on d.id = a.device_id left join client c on c.id = d.client_id left
  join site s on s.id = d.site_id`

/** Attempts with how far each machine has come: the watches are those of its roster as it is now. */
async function withProgress(db: Db, viewer: Viewer, found: readonly AttemptRow[]): Promise<EnrolmentAttempt[]> {
  const policy = await policyInForce(db)
  const enrolled = new Map(
    (
      await allTraits(
        db,
        targetsOf(policy),
        found.flatMap((row) => row.device_id ?? []),
      )
    ).map((device) => [device.id, device] as const),
  )
  return found.map(({ id, at, name, osName, address, clockOffset, outcome, code, reason, ...row }) => {
    const device: EnrolledDevice | null =
      row.device_id === null || !(viewer.clientIds?.includes(row.device_client) ?? true)
        ? null
        : {
            id: row.device_id,
            name: row.device_name,
            clientName: row.client_name,
            siteName: row.site_name,
            heardAt: row.heard_at,
            startsAtBoot: row.starts_at_boot,
            watches: enrolled.has(row.device_id)
              ? policy.compiled.roster(enrolled.get(row.device_id)!).filter((watch) => watch.standing === 'active')
                  .length
              : 0,
          }
    return { id, at, name, osName, address, clockOffset, outcome, code, reason, device }
  })
}

async function keyPage(db: Db, viewer: Viewer, id: number): Promise<EnrolmentKeyPage> {
  const key = await firstRow<EnrolmentKeyView>(db, `${keySelect} and k.id = $2`, [viewer.clientIds, id])
  if (!key) throw new ProblemError('no-such-key')
  const found = await rows<AttemptRow>(db, `${attemptSelect} where a.key_id = $1 order by a.id desc limit 100`, [id])
  return { ...key, attempts: await withProgress(db, viewer, found) }
}

/** The client that a key is bound to, null for every client. Checks that the viewer may make such a key. */
async function clientOfKey(tx: Db, body: NewEnrolmentKey, viewer: Viewer): Promise<number | null> {
  if (body.siteId !== null) {
    const site = await firstRow<{ client_id: number }>(tx, 'select client_id from site where id = $1', [body.siteId])
    if (!site) throw new ProblemError('no-such-site')
    requireClient(viewer, site.client_id, 'no-such-site')
    return site.client_id
  }
  if (body.clientId === null && !mayChangeAll(viewer))
    throw new ProblemError('not-allowed', 'A key for every client is made by somebody who sees every client.')
  if (body.clientId !== null) requireClient(viewer, body.clientId)
  const { declared } = (await firstRow<{ declared: boolean }>(
    tx,
    `select exists (select from site where networks <> '{}' and ($1::int is null or client_id = $1)) as declared`,
    [body.clientId],
  ))!
  if (!declared)
    throw new ProblemError(
      'invalid',
      'No site of these declares its networks, so an address cannot tell the site. Declare them first, or choose a site.',
      [{ at: 'siteId', message: 'no networks declared' }],
    )
  return body.clientId
}

async function makeKey(tx: Db, body: NewEnrolmentKey, viewer: Viewer): Promise<{ id: number; key: string }> {
  const clientId = await clientOfKey(tx, body, viewer)
  if (clientId !== null) await requireInUse(tx, clientId)
  const unknown = await rows<{ id: string }>(
    tx,
    'select r as id from unnest($1::text[]) r where r not in (select id from role)',
    [body.roles],
  )
  if (unknown.length)
    throw new ProblemError('invalid', `There is no role “${unknown[0]!.id}”.`, [
      { at: 'roles', message: 'unknown role' },
    ])
  const key = makeSecret()
  const made = await firstRow<{ id: number }>(
    tx,
    `
    insert into enrolment_key (site_id, client_id, secret_digest, label, uses, uses_left, expires_at, kind, roles, tags,
    created_by) values ($1, $2, $3, $4, $5, $5, $6, $7, $8, $9, $10) returning id`,
    [
      body.siteId,
      clientId,
      digest(key),
      body.label,
      body.uses,
      new Date(Date.now() + body.days * day),
      body.kind,
      body.roles,
      body.tags,
      viewer.id,
    ],
  )
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'enrolment key', id: made!.id, clientId })
  return { id: made!.id, key }
}

export function keyRoutes(app: FastifyInstance, pool: Pool, address: PublicAddress): void {
  route(app, {
    method: 'POST',
    url: '/api/enrolment-keys',
    access: 'technician',
    summary: 'Make an enrolment key',
    answer: madeEnrolmentKeySchema,
    body: newEnrolmentKeySchema,
    handle: async ({ body, viewer }) => ({
      ...(await inTransaction(pool, (tx) => makeKey(tx, body, viewer))),
      server: address.url,
      hasOwnCa: address.ca !== null,
    }),
  })
  route(app, {
    method: 'GET',
    url: '/api/enrolment-keys',
    access: 'technician',
    summary: 'Enrolment keys, without their secrets, newest first',
    answer: enrolmentKeysSchema,
    query: beforeQuerySchema,
    handle: ({ viewer, query }) =>
      rows<EnrolmentKeyView>(pool, `${keySelect} and ($2::int is null or k.id < $2) order by k.id desc limit $3`, [
        viewer.clientIds,
        query.before ?? null,
        query.limit,
      ]),
  })
  route(app, {
    method: 'GET',
    url: '/api/enrolment-keys/:id',
    access: 'technician',
    summary: 'One key with everyone who tried it, and how far they have come',
    answer: enrolmentKeyPageSchema,
    handle: ({ viewer, id }) => keyPage(pool, viewer, id()),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/enrolment-keys/:id',
    access: 'technician',
    summary: 'Revoke an enrolment key',
    answer: revokedSchema,
    handle: ({ id, viewer }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ client_id: number | null }>(
          tx,
          `
        update enrolment_key set revoked_at = coalesce(revoked_at, now()) where id = $1 and ${ofClients('client_id', 2)}
        returning client_id`,
          [id(), viewer.clientIds],
        )
        if (!row) throw new ProblemError('no-such-key')
        await audit(tx, {
          personId: viewer.id,
          action: 'revoked',
          kind: 'enrolment key',
          id: id(),
          clientId: row.client_id,
        })
        return { revoked: true }
      }),
  })
  route(app, {
    method: 'GET',
    url: '/api/enrolment-attempts',
    access: 'technician',
    summary: 'Who tried to enrol in the last day and was refused, newest first',
    answer: enrolmentAttemptsSchema,
    handle: async ({ viewer }) =>
      withProgress(
        pool,
        viewer,
        await rows<AttemptRow>(
          pool,
          `${attemptSelect}
      left join enrolment_key k on k.id = a.key_id
      where a.outcome = 'refused' and a.at > now() - interval '1 day' and ${ofClients('k.client_id', 1)} order by a.id desc limit 200`,
          [viewer.clientIds],
        ),
      ),
  })
}
