import { deviceReachSchema, madeSchema, newAddressSchema, reachPageSchema, reachQuerySchema } from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../db'
import { route } from '../../http/route'
import { requireDevice } from '../estate'
import { addAddress } from './addresses'
import { deviceReach, reachPage } from './reach'

/** What devices see of each other, and devices that are seen by others alone. */
export function reachRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/reach',
    access: 'contact',
    summary: 'What of devices is looked at from others, the worst first, in parts',
    answer: reachPageSchema,
    query: reachQuerySchema,
    handle: ({ viewer, query }) => reachPage(pool, viewer, query),
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/reach',
    access: 'contact',
    summary: 'What other devices see of a device, and what it sees of them',
    answer: deviceReachSchema,
    async handle({ viewer, id }) {
      await requireDevice(pool, viewer, id())
      return deviceReach(pool, viewer, id())
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/addresses',
    access: 'technician',
    summary: 'Add a device that has no agent, and is seen by others alone',
    answer: madeSchema,
    body: newAddressSchema,
    handle: ({ viewer, body }) => inTransaction(pool, (tx) => addAddress(tx, viewer, body)),
  })
}
