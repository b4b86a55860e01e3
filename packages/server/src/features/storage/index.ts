import { retentionSchema, storageSchema } from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { keptOf } from '../../store/retention'
import { readStorage } from '../../store/storage'
import { audit, mayChangeAll } from '../access'

/** How large everything is, how fast it grows, and how long it is kept. */
export function storageRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/storage',
    access: 'lead',
    summary: 'How large each kind of data is, how it grows, and how long it is kept',
    answer: storageSchema,
    async handle({ viewer }) {
      if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'This is shown to a lead of all clients.')
      return readStorage(pool)
    },
  })
  route(app, {
    method: 'PUT',
    url: '/api/storage',
    access: 'lead',
    summary: 'Say how long a kind of data is kept',
    answer: storageSchema,
    body: retentionSchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, async (tx) => {
        if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'A lead of all clients decides this.')
        const { least } = keptOf(body.kind)
        if (body.days < least)
          throw new ProblemError('invalid', `The product itself needs ${least} days of it.`, [
            { at: 'days', message: `at least ${least}` },
          ])
        await tx.query(
          'insert into retention (kind, days) values ($1, $2) on conflict (kind) do update set days = excluded.days',
          [body.kind, body.days],
        )
        await audit(tx, { personId: viewer.id, action: 'keeps', kind: 'retention', id: null, detail: body })
        return readStorage(tx)
      }),
  })
}
