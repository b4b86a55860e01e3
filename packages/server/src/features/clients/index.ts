import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import { placeRoutes } from './clients'
import { contactRoutes } from './contacts'
import { endRoutes } from './endRoutes'

/** Clients: who they are, where their sites are, whom one knows there, and how work for one ends. */
export function clientRoutes(app: FastifyInstance, pool: Pool): void {
  placeRoutes(app, pool)
  contactRoutes(app, pool)
  endRoutes(app, pool)
}
