import {
  serviceActionSchema,
  serviceActionsSchema,
  serviceOnDevicesQuerySchema,
  serviceOnDevicesSchema,
  servicesPageSchema,
  servicesQuerySchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../db'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { requireDevice } from './requireDevice'
import { askForService, serviceActions } from './serviceActions'
import { serviceOnDevices, servicesPage } from './services'

/** Services over all devices, and what is asked of those of one. */
export function serviceRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/services',
    access: 'contact',
    summary: 'Services by their names, on how many devices and how they are there, in parts',
    answer: servicesPageSchema,
    query: servicesQuerySchema,
    handle: ({ viewer, query, db }) => servicesPage(db, viewer, query),
  })
  pastRoute(app, pool, {
    url: '/api/services/devices',
    access: 'contact',
    summary: 'One service on all its devices side by side, those that are not as they should be first, in parts',
    answer: serviceOnDevicesSchema,
    query: serviceOnDevicesQuerySchema,
    handle: ({ viewer, query, db }) => serviceOnDevices(db, viewer, query),
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/service-actions',
    access: 'technician',
    summary: 'What was asked of a device’s services in the last week, by whom, and how it went',
    answer: serviceActionsSchema,
    async handle({ viewer, id }) {
      await requireDevice(pool, viewer, id())
      return serviceActions(pool, id(), Date.now())
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/service-actions',
    access: 'technician',
    summary: 'Have a device’s agent start, stop or restart one of its services',
    answer: serviceActionsSchema,
    body: serviceActionSchema,
    handle: ({ viewer, id, body }) =>
      inTransaction(pool, async (tx) => {
        await askForService(tx, viewer, id(), body, Date.now())
        return serviceActions(tx, id(), Date.now())
      }),
  })
}
