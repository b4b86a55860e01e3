import {
  clientMergeSchema,
  clientRemovalSchema,
  madeSchema,
  mergePreviewSchema,
  retiredClientsSchema,
  type RetiredClient,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, rows, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { audit, mayChangeAll, type Viewer } from '../access'
import { clientData } from './handOver'
import { mergeClients, mergePreview } from './merge'
import { removeClient } from './remove'
import { restoreClient, retireClient, takeClient } from './retire'

function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'This is decided by a lead of all clients.')
}

/** How work for a client ends: out of use, a part of another, handed over, deleted. */
export function endRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/retired-clients',
    access: 'lead',
    summary: 'Clients that are out of use',
    answer: retiredClientsSchema,
    handle({ viewer }) {
      requireAll(viewer)
      return rows<RetiredClient>(
        pool,
        `select id, name, code, retired_at as "retiredAt",
           (select count(*)::int from device d where d.client_id = c.id) as devices
         from client c where retired_at is not null order by name`,
      )
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/retire',
    access: 'lead',
    summary: 'Take a client out of use: its devices with it, their keys are revoked; what is known of it stays',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => retireClient(tx, viewer, id())),
  })
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/restore',
    access: 'lead',
    summary: 'Look after a client again',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => restoreClient(tx, viewer, id())),
  })
  route(app, {
    method: 'GET',
    url: '/api/clients/:id/merge',
    access: 'lead',
    summary: 'What making a client a part of another would do',
    answer: mergePreviewSchema,
    query: clientMergeSchema,
    handle: ({ viewer, id, query }) => inTransaction(pool, (tx) => mergePreview(tx, viewer, id(), query)),
  })
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/merge',
    access: 'lead',
    summary: 'Make a client a part of another',
    answer: madeSchema,
    body: clientMergeSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => mergeClients(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'GET',
    url: '/api/clients/:id/data',
    access: 'lead',
    summary: 'All that is kept of a client, as JSON Lines packed by gzip',
    answer: { media: 'application/gzip' },
    async handle({ viewer, id, reply }) {
      const { code } = await inTransaction(pool, (tx) => takeClient(tx, viewer, id()))
      // What is refused was not handed over; what is begun is on record.
      const data = clientData(pool, id())
      await audit(pool, {
        personId: viewer.id,
        action: 'handed over the data of',
        kind: 'client',
        id: id(),
        clientId: id(),
      }).catch((error: unknown) => {
        data.destroy()
        throw error
      })
      void reply
        .type('application/gzip')
        .header('content-disposition', `attachment; filename="custode-${code}.jsonl.gz"`)
      return data
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/delete',
    access: 'lead',
    summary: 'Delete all that is kept of a client that is out of use, but for the lines of the audit trail',
    answer: madeSchema,
    body: clientRemovalSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => removeClient(tx, viewer, id(), body)),
  })
}
