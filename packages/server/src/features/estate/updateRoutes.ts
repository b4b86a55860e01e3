import {
  backlogQuerySchema,
  backlogSchema,
  updateOnDevicesQuerySchema,
  updateOnDevicesSchema,
  updatesByClientQuerySchema,
  updatesByClientSchema,
  updatesPageSchema,
  updatesQuerySchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import { pastRoute } from '../../http/past'
import { backlog, updateOnDevices, updatesByClient, updatesPage } from './updates'

/** Updates over all devices: who is behind, what waits, and how that went. */
export function updateRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/updates/clients',
    access: 'contact',
    summary: 'Clients by how far behind their devices are with updates, in parts',
    answer: updatesByClientSchema,
    query: updatesByClientQuerySchema,
    handle: ({ viewer, query, db }) => updatesByClient(db, viewer, query),
  })
  pastRoute(app, pool, {
    url: '/api/updates',
    access: 'contact',
    summary: 'Updates that wait, by their names, on how many devices and since when, in parts',
    answer: updatesPageSchema,
    query: updatesQuerySchema,
    handle: ({ viewer, query, db }) => updatesPage(db, viewer, query),
  })
  pastRoute(app, pool, {
    url: '/api/updates/devices',
    access: 'contact',
    summary: 'The devices on which one update waits, the longest waiting first, in parts',
    answer: updateOnDevicesSchema,
    query: updateOnDevicesQuerySchema,
    handle: ({ viewer, query, db }) => updateOnDevices(db, viewer, query),
  })
  pastRoute(app, pool, {
    url: '/api/updates/backlog',
    access: 'contact',
    summary: 'What waited at the end of each day',
    answer: backlogSchema,
    query: backlogQuerySchema,
    handle: ({ viewer, query, db }) => backlog(db, viewer, query),
  })
}
