import { archivesSchema, archiveTargetSchema, retentionSchema, storageSchema } from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { archiveTarget, readArchives } from '../../store/archive'
import { keptOf } from '../../store/retention'
import { readStorage } from '../../store/storage'
import { audit, mayChangeAll, type Viewer } from '../access'

/** How large everything is, how fast it grows, and how long it is kept. */
export function storageRoutes(app: FastifyInstance, pool: Pool): void {
  const requireAll = (viewer: Viewer) => {
    if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'This is for a lead of all clients.')
  }
  route(app, {
    method: 'GET',
    url: '/api/storage',
    access: 'lead',
    summary: 'How large each kind of data is, how it grows, and how long it is kept',
    answer: storageSchema,
    async handle({ viewer }) {
      requireAll(viewer)
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
        requireAll(viewer)
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
  const archives = async () => ({ servers: await readArchives(pool), target: await archiveTarget(pool) })
  route(app, {
    method: 'GET',
    url: '/api/archives',
    access: 'lead',
    summary: 'Other database servers that readings of long ago lie on, and which goes there',
    answer: archivesSchema,
    async handle({ viewer }) {
      requireAll(viewer)
      return archives()
    },
  })
  route(app, {
    method: 'PUT',
    url: '/api/archives',
    access: 'lead',
    summary: 'Say which database server readings go to, and after how many days; null: they stay',
    answer: archivesSchema,
    body: archiveTargetSchema,
    async handle({ viewer, body }) {
      requireAll(viewer)
      const found = (await readArchives(pool)).find(({ name }) => name === body.server)
      if (body.server !== null && found?.fault !== null)
        throw new ProblemError(
          'invalid',
          found ? `${found.name} does not answer: ${found.fault}` : `The database knows no server “${body.server}”.`,
          [{ at: 'server', message: 'does not answer' }],
        )
      await inTransaction(pool, async (tx) => {
        if (body.server === null) await tx.query('delete from archive_target')
        else
          await tx.query(
            `insert into archive_target (server, after_days) values ($1, $2)
             on conflict (only_one) do update set server = excluded.server, after_days = excluded.after_days`,
            [body.server, body.afterDays],
          )
        await audit(tx, { personId: viewer.id, action: 'archives', kind: 'retention', id: null, detail: body })
      })
      return archives()
    },
  })
}
