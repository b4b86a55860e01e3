import { hour, type DeviceId, type Millis } from '#core'
import type { Db, Pool } from '../db'

/** Hours that a board may still show, and one more. */
const kept = 26

const hourOf = `floor(extract(epoch from e.at) / 3600)::int`

/**
 * Counts new log entries, in the transaction that stores them.
 * @param levels severities of RFC 5424; 3 and below are errors
 */
export async function countEntries(
  tx: Db,
  deviceId: DeviceId,
  at: readonly (Date | null)[],
  levels: readonly number[],
): Promise<void> {
  await tx.query(
    `
    insert into log_hour (device_id, hour, entries, errors)
    select $1, ${hourOf}, count(*), count(*) filter (where e.level <= 3)
    from unnest($2::timestamptz[], $3::smallint[]) e (at, level)
    where e.at > now() - interval '${kept} hours' group by 2
    on conflict (device_id, hour) do update
      set entries = log_hour.entries + excluded.entries, errors = log_hour.errors + excluded.errors`,
    [deviceId, at, levels],
  )
}

/** Counts a device's log anew: it has taken over that of another, and entries of both stand once. */
export async function recountEntries(tx: Db, deviceId: DeviceId, from: DeviceId): Promise<void> {
  await tx.query('delete from log_hour where device_id in ($1, $2)', [deviceId, from])
  await tx.query(
    `
    insert into log_hour (device_id, hour, entries, errors)
    select $1, ${hourOf}, count(*), count(*) filter (where e.level <= 3) from log_event e
    where e.device_id = $1 and e.at > now() - interval '${kept} hours' group by 2`,
    [deviceId],
  )
}

/** What no board shows any more is not kept. */
export async function forgetHours(pool: Pool, now: Millis): Promise<void> {
  await pool.query('delete from log_hour where hour < $1', [Math.floor(now / hour) - kept])
}
