import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { ofClients, requireClient, type Viewer } from '../access'

/** @throws ProblemError not-found when the viewer may not see the device. */
export async function requireDevice(
  db: Db,
  viewer: Viewer,
  id: number,
): Promise<{ id: number; name: string; client_id: number }> {
  const device = await firstRow<{ id: number; name: string; client_id: number }>(
    db,
    'select id, name, client_id from device where id = $1 and retired_at is null',
    [id],
  )
  if (!device) throw new ProblemError('no-such-device')
  requireClient(viewer, device.client_id, 'no-such-device')
  return device
}

/** @throws ProblemError not-found when the viewer may not see one of the devices */
export async function requireDevices(db: Db, viewer: Viewer, ids: readonly number[]): Promise<void> {
  const seen = await firstRow<{ count: number }>(
    db,
    `select count(*)::int as count from device d
     where d.id = any($1) and d.retired_at is null and ${ofClients('d.client_id', 2)}`,
    [ids, viewer.clientIds],
  )
  if (seen?.count !== new Set(ids).size) throw new ProblemError('no-such-device')
}
