import type { DeviceId } from '#core'
import type { Db } from '../db'

/**
 * Has the alert about the silence of a device carry all others that are open on it: nobody knows how it is. Where there
 * is none, or it is heard again and its silence only flips, they stand for themselves.
 */
export async function carryPosts(tx: Db, deviceId: DeviceId): Promise<void> {
  await tx.query(
    `
    update alert a set carried_by = s.id
    from (select min(id) as id from alert
      where device_id = $1 and status <> 'closed' and rule->>'kind' = 'silence' and well_since is null) s
    where a.device_id = $1 and a.status <> 'closed' and a.rule->>'kind' <> 'silence'
      and a.carried_by is distinct from s.id`,
    [deviceId],
  )
}
