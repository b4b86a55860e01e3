import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import { peopleRoutes } from './people'
import { signInRoutes } from './signIn'

export { audit } from './audit'
export { sessionToken } from './cookie'
export { addPerson } from './people'
export { digest, makeSecret } from './secret'
export { mayChangeAll, needClient, ofClients, viewerOf, type Viewer } from './viewer'

export function accessRoutes(app: FastifyInstance, pool: Pool): void {
  signInRoutes(app, pool)
  peopleRoutes(app, pool)
}
