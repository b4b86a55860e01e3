import type { NewRequest } from '#contract'
import { firstRow, type Db } from '../../db'
import { addRequestEntry, announceRequest } from '../../engine'
import { ProblemError } from '../../http/problems'
import { audit, requireClient, type Viewer } from '../access'

/**
 * A request that did not come by mail: somebody called, or a program reports in. What a program says again under the
 * same key goes to the request that is open.
 */
export async function reportRequest(
  tx: Db,
  viewer: Viewer,
  { clientId, deviceId, subject, text, key }: NewRequest,
): Promise<{ id: number }> {
  requireClient(viewer, clientId)
  // One at a time for a client: two that come at once under a key are one.
  if (!(await firstRow(tx, 'select from client where id = $1 and retired_at is null for update', [clientId])))
    throw new ProblemError('no-such-client')
  if (
    deviceId !== null &&
    !(await firstRow(tx, 'select from device where id = $1 and client_id = $2', [deviceId, clientId]))
  )
    throw new ProblemError('no-such-device')
  const by = viewer.token?.name ?? viewer.name
  const known =
    key === undefined
      ? null
      : await firstRow<{ id: number }>(
          tx,
          `update request set last_came_at = now() where client_id = $1 and key = $2 and status <> 'closed' returning id`,
          [clientId, key],
        )
  const request =
    known ??
    (await firstRow<{ id: number }>(
      tx,
      `insert into request (client_id, subject, from_name, from_address, came_at, last_came_at, device_id, key)
       values ($1, $2, $3, '', now(), now(), $4, $5) returning id`,
      [clientId, subject, by, deviceId, key ?? null],
    ))
  const { id } = request!
  await addRequestEntry(tx, id, { at: Date.now(), event: 'reported', text, detail: { name: by } })
  await audit(tx, {
    personId: viewer.id,
    action: known ? 'reported again' : 'reported',
    kind: 'request',
    id,
    clientId,
    detail: { name: subject },
  })
  announceRequest(tx, clientId)
  return { id }
}
