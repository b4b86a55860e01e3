import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import type { PublicAddress } from '../../http/transport'
import type { Vault } from '../../secrets/vault'
import type { CompleteCommand } from '../../store/tasks'
import { collectingRoutes } from './coverage/collectRules'
import { coverageRoutes } from './coverage/coverage'
import { credentialRoutes } from './credentials/credentials'
import { keyRoutes } from './enrolment/keys'
import { noticeRoutes } from './enrolment/notices'
import { standingRoutes } from './enrolment/standing'
import { roleRoutes } from './roles/roles'
import { hostKeyRoutes } from './sweeps/hostKeys'
import { sweepCommand, sweepRoutes } from './sweeps/sweeps'
import { underWayRoutes } from './underWay'
import type { Releases } from './updates/releases'
import { updateCommand } from './updates/updateRun'
import { updateRoutes } from './updates/updates'
import { deployCommand } from './waves/waveRun'
import { waveRoutes } from './waves/waves'

/** What is put into a command when it is handed over: sign-ins, keys, versions. */
export function commandCompletion(vault: Vault): CompleteCommand {
  return async (tx, command, taskId) => {
    if (command.kind === 'deploy') return deployCommand(tx, vault, command.runId, command.n)
    if (command.kind === 'update') return updateCommand(tx, command.runId)
    return command.kind === 'service' || command.kind === 'read' ? command : sweepCommand(tx, vault, taskId, command)
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
  underWayRoutes(app, pool)
}
