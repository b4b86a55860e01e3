import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import type { Sending } from '../../engine'
import { housePolicyRoutes } from './housePolicy'
import { providerRoutes } from './provider'
import { invitationRoutes } from './invitations'
import { peopleRoutes } from './people'
import { signInRoutes } from './signIn'
import { secondFactorRoutes } from './secondFactor'
import { secretRoutes } from './secrets'
import { sessionRoutes } from './sessions'
import { tokenRoutes } from './tokens'
import { trailRoutes } from './trail'
import { savedViewRoutes } from './views'

export { requireColleague, requireLater } from './working'
export { audit, auditAll } from './audit'
export { accessJobs } from './jobs'
export { sessionToken } from './cookie'
export { addPerson } from './people'
export { isOpenTo, programToken, tokenViewer } from './tokens'
export { digest, makeSecret } from '../../secrets/secret'
export { mayChangeAll, requireClient, ofClients, viewerOf } from './viewer'
export type { Viewer } from '../../http/viewer'

export function accessRoutes(app: FastifyInstance, pool: Pool, sending: Sending): void {
  const { vault } = sending
  housePolicyRoutes(app, pool)
  invitationRoutes(app, pool, sending)
  providerRoutes(app, pool, sending)
  signInRoutes(app, pool, vault)
  secondFactorRoutes(app, pool, vault)
  peopleRoutes(app, pool)
  savedViewRoutes(app, pool)
  secretRoutes(app, pool)
  sessionRoutes(app, pool)
  trailRoutes(app, pool)
  tokenRoutes(app, pool)
}
