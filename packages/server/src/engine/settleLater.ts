import type { DeviceId, Millis } from '#core'
import { time, type Db } from '../db'

/**
 * Has the alerts of devices follow a change in batches after it. When two changes wait, the device is looked at as of
 * the later one, which sees the state that both have left.
 */
export async function settleLater(tx: Db, deviceIds: readonly DeviceId[], at: Millis): Promise<void> {
  await tx.query(
    `insert into settle_due (device_id, at) select id, $2 from unnest($1::int[]) id
     on conflict (device_id) do update set at = greatest(settle_due.at, excluded.at)`,
    [deviceIds, time(at)],
  )
}
