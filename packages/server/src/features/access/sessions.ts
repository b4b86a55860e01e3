import { madeSchema, ownNameSchema, sessionsEndedSchema, sessionsSchema, type SessionListed } from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, rows, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live/announce'
import { digest } from '../../secrets/secret'
import { audit } from './audit'
import { sessionToken } from './cookie'

/** Where one is signed in, and how to end what is not wanted there any more. */
export function sessionRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/sessions',
    access: 'contact',
    summary: 'Where one is signed in oneself, the one used last first',
    answer: sessionsSchema,
    handle: ({ viewer, request }) =>
      rows<SessionListed>(
        pool,
        `select id, created_at as "createdAt", used_at as "usedAt", expires_at as "expiresAt",
           host(address) as address, browser, token_digest = $2 as "isThis"
         from session where person_id = $1 and expires_at > now() order by used_at desc, id desc limit 1000`,
        [viewer.id, digest(sessionToken(request) ?? '')],
      ),
  })
  route(app, {
    method: 'PUT',
    url: '/api/session/name',
    access: 'contact',
    summary: 'Say how one is called oneself',
    answer: madeSchema,
    body: ownNameSchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, async (tx) => {
        await tx.query('update person set name = $2 where id = $1', [viewer.id, body.name])
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'person',
          id: viewer.id,
          detail: { ...body, was: { name: viewer.name } },
        })
        announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
        return { id: viewer.id }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/sessions/:id',
    access: 'contact',
    summary: 'End one of one’s own sessions',
    answer: sessionsEndedSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const { rowCount } = await tx.query('delete from session where id = $1 and person_id = $2', [id(), viewer.id])
        if (!rowCount) throw new ProblemError('no-such-address', 'There is no such session, or it has ended already.')
        await audit(tx, { personId: viewer.id, action: 'ended a session of', kind: 'person', id: viewer.id })
        announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
        return { ended: rowCount }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/sessions',
    access: 'contact',
    summary: 'End all of one’s own sessions but the one that asks',
    answer: sessionsEndedSchema,
    handle: ({ viewer, request }) =>
      inTransaction(pool, async (tx) => {
        const { rowCount } = await tx.query('delete from session where person_id = $1 and token_digest <> $2', [
          viewer.id,
          digest(sessionToken(request) ?? ''),
        ])
        if (rowCount)
          await audit(tx, { personId: viewer.id, action: 'ended all other sessions of', kind: 'person', id: viewer.id })
        announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
        return { ended: rowCount ?? 0 }
      }),
  })
}
