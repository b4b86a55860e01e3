import type pg from 'pg'
import { day, type Millis } from '#core'
import type { SimulatedDevice } from '../fleet/simulated'

const days = 90

/** What waited on stand-in devices at the end of each of the last days, as their server would have noted it. */
export async function fillBacklog(
  db: pg.Client,
  devices: ReadonlyMap<number, SimulatedDevice>,
  until: Millis,
): Promise<void> {
  for (let ago = days; ago >= 0; ago--) {
    const at = ago ? until - (until % day) - (ago - 1) * day - 1 : until
    const rows = [...devices].map(([id, device]) => ({ id, ...device.updates(at).updates }))
    await db.query(
      `insert into backlog_day (device_id, day, security, other, held, oldest_security_at)
       select id, $2::date, security, other, held, to_timestamp(oldest / 1000)
       from unnest($1::int[], $3::int[], $4::int[], $5::int[], $6::float8[]) r (id, security, other, held, oldest)
       on conflict do nothing`,
      [
        rows.map(({ id }) => id),
        new Date(at).toISOString().slice(0, 10),
        rows.map(({ security }) => security),
        rows.map(({ other }) => other),
        rows.map(({ held }) => held ?? 0),
        rows.map(({ oldestSecurityAt }) => oldestSecurityAt),
      ],
    )
  }
}
