export { calloutsOf } from './told'
import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import type { Sending } from '../../engine'
import { messageRoutes } from './messages'
import { reachRoutes } from './reach'
import { ruleRoutes } from './rules'
import { teamRoutes } from './teams'
import { toldRoutes } from './told'
import { wayRoutes } from './ways'

export { turnsCalendar } from './turnsCalendar'

export function calloutRoutes(app: FastifyInstance, pool: Pool, sending: Sending): void {
  ruleRoutes(app, pool)
  teamRoutes(app, pool)
  reachRoutes(app, pool)
  wayRoutes(app, pool, sending)
  messageRoutes(app, pool)
  toldRoutes(app, pool)
}
