import { madeSchema, reachBodySchema, reachSchema, type Reach } from '#contract'
import type { FastifyInstance } from 'fastify'
import { IANAZone } from 'luxon'
import { firstRow, inTransaction, time, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit } from '../access'

/** Where and when each of us can be reached. */
export function reachRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/session/reach',
    access: 'technician',
    summary: 'Where and when one can be reached oneself',
    answer: reachSchema,
    handle: async ({ viewer }) =>
      (await firstRow<Reach>(
        pool,
        `select mail_to as "mailTo", reach_hours as hours, reach_zone as zone,
           case when away_until > now() then away_until end as "awayUntil", digest_at as "digestAt" from person where id = $1`,
        [viewer.id],
      ))!,
  })
  route(app, {
    method: 'PUT',
    url: '/api/session/reach',
    access: 'technician',
    summary: 'Say where and when one can be reached, and until when one is away',
    answer: madeSchema,
    body: reachBodySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        if (body.zone !== null && !IANAZone.isValidZone(body.zone))
          throw new ProblemError('invalid', 'This is no time zone. Use a name such as Europe/Lisbon.', [
            { at: 'zone', message: 'unknown time zone' },
          ])
        await tx.query(
          'update person set mail_to = $2, reach_hours = $3, reach_zone = $4, away_until = $5, digest_at = $6 where id = $1',
          [viewer.id, body.mailTo, body.hours, body.zone, time(body.awayUntil), body.digestAt],
        )
        await audit(tx, {
          personId: viewer.id,
          action: 'changed how to reach',
          kind: 'person',
          id: viewer.id,
          detail: body,
        })
        announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })
        return { id: viewer.id }
      }),
  })
}
