import type { ClientId } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { audit, mayChangeAll, type Viewer } from '../access'
import { retireDevice } from '../estate'

export interface TakenClient {
  id: ClientId
  name: string
  code: string
  retired_at: number | null
}

/** A client, locked, for a lead of all. @throws ProblemError */
export async function takeClient(tx: Db, viewer: Viewer, id: ClientId): Promise<TakenClient> {
  if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'This is decided by a lead of all clients.')
  const client = await firstRow<TakenClient>(
    tx,
    'select id, name, code, retired_at from client where id = $1 for update',
    [id],
  )
  if (!client) throw new ProblemError('no-such-client')
  return client
}

/**
 * A client is looked after no more: its devices are out of use and their keys revoked, nobody enrols there, nothing
 * sweeps there. All that is known of it stays.
 */
export async function retireClient(tx: Db, viewer: Viewer, id: ClientId): Promise<{ id: ClientId }> {
  const client = await takeClient(tx, viewer, id)
  if (client.retired_at !== null) throw new ProblemError('invalid', 'It is out of use already.')
  const devices = await rows<{ id: number }>(
    tx,
    'select id from device where client_id = $1 and retired_at is null order by id for update',
    [id],
  )
  for (const device of devices) await retireDevice(tx, viewer, device.id)
  await tx.query(
    // Those of its sites, which are of no device.
    `with closed as (update alert set status = 'closed', closed_at = now(), close_reason = 'retired', offered_to = null,
       offered_by = null, offered_word = '', hidden_until = null
       where client_id = $1 and status <> 'closed' returning id)
     insert into alert_entry (alert_id, at, event, detail) select id, now(), 'closed', '{"reason": "retired"}' from closed`,
    [id],
  )
  await tx.query(
    `update enrolment_key set revoked_at = now() where revoked_at is null
       and (client_id = $1 or site_id in (select id from site where client_id = $1))`,
    [id],
  )
  await tx.query(
    `update sweep_plan set removed_at = now() where removed_at is null
       and site_id in (select id from site where client_id = $1)`,
    [id],
  )
  await tx.query('update client set retired_at = now() where id = $1', [id])
  await audit(tx, {
    personId: viewer.id,
    action: 'retired',
    kind: 'client',
    id,
    clientId: id,
    detail: { devices: devices.length },
  })
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  return { id }
}

/** It is looked after again; its devices come back one by one, as they enrol anew. */
export async function restoreClient(tx: Db, viewer: Viewer, id: ClientId): Promise<{ id: ClientId }> {
  const client = await takeClient(tx, viewer, id)
  if (client.retired_at === null) throw new ProblemError('invalid', 'It is in use.')
  await tx.query('update client set retired_at = null where id = $1', [id])
  await audit(tx, { personId: viewer.id, action: 'brought back', kind: 'client', id, clientId: id })
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  return { id }
}
