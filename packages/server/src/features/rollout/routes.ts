import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import type { PublicAddress } from '../../http/transport'
import type { Vault } from '../../secrets/vault'
import type { CompleteOrder } from '../../store/tasks'
import { collectingRoutes } from './coverage/collectRules'
import { coverageRoutes } from './coverage/coverage'
import { credentialRoutes } from './credentials/credentials'
import { keyRoutes } from './enrolment/keys'
import { noticeRoutes } from './enrolment/notices'
import { standingRoutes } from './enrolment/standing'
import { roleRoutes } from './roles/roles'
import { hostKeyRoutes } from './sweeps/hostKeys'
import { sweepOrder, sweepRoutes } from './sweeps/sweeps'
import type { Releases } from './updates/releases'
import { updateOrder } from './updates/updateRun'
import { updateRoutes } from './updates/updates'
import { deployOrder } from './waves/waveRun'
import { waveRoutes } from './waves/waves'

/** What is put into an order when it is handed over: sign-ins, keys, versions. */
export function orderCompletion(vault: Vault): CompleteOrder {
  return async (tx, order, taskId) => {
    if (order.kind === 'deploy') return deployOrder(tx, vault, order.runId, order.n)
    if (order.kind === 'update') return updateOrder(tx, order.runId)
    return order.kind === 'service' ? order : sweepOrder(tx, vault, taskId, order)
  }
}

export function rolloutRoutes(
  app: FastifyInstance,
  pool: Pool,
  vault: Vault,
  releases: Releases,
  address: PublicAddress,
): void {
  keyRoutes(app, pool, address)
  standingRoutes(app, pool)
  roleRoutes(app, pool)
  noticeRoutes(app, pool)
  sweepRoutes(app, pool)
  hostKeyRoutes(app, pool)
  credentialRoutes(app, pool, vault)
  waveRoutes(app, pool, vault)
  updateRoutes(app, pool, releases)
  collectingRoutes(app, pool)
  coverageRoutes(app, pool)
}
