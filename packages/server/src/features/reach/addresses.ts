import type { NewAddress } from '#contract'
import type { ClientId } from '#core'
import { firstRow, type Db } from '../../db'
import { reevaluate } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { requireInUse } from '../../store/clients'
import { requireLookable } from '../../store/lookable'
import { audit, digest, makeSecret, requireClient, type Viewer } from '../access'

/** @throws ProblemError */
export async function addAddress(tx: Db, viewer: Viewer, body: NewAddress): Promise<{ id: number }> {
  const site = await firstRow<{ client_id: ClientId }>(tx, 'select client_id from site where id = $1', [body.siteId])
  if (!site) throw new ProblemError('no-such-site')
  requireClient(viewer, site.client_id, 'no-such-site')
  await requireInUse(tx, site.client_id)
  const address = await requireLookable(tx, body.siteId, body.address)
  const made = await firstRow<{ id: number }>(
    tx,
    `insert into device (client_id, site_id, name, kind, os_family, os_name, tags, key_digest, addresses)
     values ($1, $2, $3, $4, null, '', $5, $6, $7)
     on conflict (client_id, lower(name)) where retired_at is null do nothing returning id`,
    [site.client_id, body.siteId, body.name, body.kind, body.tags, digest(makeSecret()), [address]],
  )
  if (!made)
    throw new ProblemError(
      'name-in-use',
      `This client has a device named “${body.name}” already (upper and lower case count as the same). Choose another name.`,
      [{ at: 'name', message: 'in use' }],
    )
  await reevaluate(tx, made.id, Date.now())
  await audit(tx, {
    personId: viewer.id,
    action: 'added',
    kind: 'device',
    id: made.id,
    clientId: site.client_id,
    detail: { ...body, address },
  })
  announce(tx, { topic: 'estate', clientIds: [site.client_id], deviceIds: [made.id] })
  return made
}
