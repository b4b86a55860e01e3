import { knownTargetFaults, type ClientId, type Target } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { mayChangeAll, type Viewer } from '../access'
import { isWithin, readEstate } from './names'

/** The one client that a target belongs to, or null when it may reach several. */
async function clientOf(db: Db, target: Target): Promise<ClientId | null> {
  if (target.on === 'client') return target.clientId
  if (target.on === 'site')
    return (
      (await firstRow<{ client_id: ClientId }>(db, 'select client_id from site where id = $1', [target.siteId]))
        ?.client_id ?? null
    )
  if (target.on === 'all') {
    for (const part of target.of) {
      const client = await clientOf(db, part)
      if (client !== null) return client
    }
  }
  if (target.on !== 'devices') return null
  const found = await rows<{ client_id: ClientId }>(db, 'select distinct client_id from device where id = any($1)', [
    target.deviceIds,
  ])
  return found.length === 1 ? found[0]!.client_id : null
}

/**
 * Whose a window or a rule with this target is; null: of several clients.
 * @param what it is, for the sentence that refuses it
 * @throws ProblemError where the target is more than the viewer may speak for, or names what is not there (yet)
 */
export async function requireReach(tx: Db, viewer: Viewer, target: Target, what = 'window'): Promise<ClientId | null> {
  const estate = await readEstate(tx, null)
  if (viewer.clientIds !== null && !isWithin(target, viewer.clientIds, estate))
    throw target.on === 'devices'
      ? new ProblemError('no-such-device')
      : new ProblemError('not-allowed', 'You may only do this for your own clients.')
  const faults = knownTargetFaults(target, estate).map(({ at, message }) => ({ at, message }))
  if (faults.length) throw new ProblemError('invalid', faults[0]!.message, faults)
  const clientId = await clientOf(tx, target)
  if (clientId === null && !mayChangeAll(viewer))
    throw new ProblemError(
      'not-allowed',
      `A ${what} for several clients is made by somebody who sees every client. Make one for each client.`,
    )
  return clientId
}
