import type pg from 'pg'
import { day, type Millis } from '#core'
import type { SimulatedDevice } from '../fleet/simulated'

const days = 90

/** Of so many days devices' own words are kept. */
const kept = 21

/** What waited on stand-in devices at the end of each of the last days, as their server would have noted it. */
export async function fillBacklog(
  db: pg.Client,
  devices: ReadonlyMap<number, SimulatedDevice>,
  until: Millis,
): Promise<void> {
  for (let ago = days; ago >= 0; ago--) {
    const at = ago ? until - (until % day) - (ago - 1) * day - 1 : until
    const rows = [...devices].map(([id, device]) => ({ id, ...device.updates(at).updates }))
    const values = [
      rows.map(({ id }) => id),
      new Date(at).toISOString().slice(0, 10),
      rows.map(({ security }) => security),
      rows.map(({ other }) => other),
      rows.map(({ held }) => held ?? 0),
      rows.map(({ oldestSecurityAt }) => oldestSecurityAt),
    ]
    const told = `unnest($1::int[], $3::int[], $4::int[], $5::int[], $6::float8[]) r (id, security, other, held, oldest)`
    if (ago <= kept)
      await db.query(
        `insert into backlog_day (device_id, day, until, security, other, held, oldest_security_at)
         select id, $2::date, $2::date + $7::int, security, other, held, to_timestamp(oldest / 1000) from ${told}
         on conflict do nothing`,
        [...values, ago ? 1 : 7],
      )
    if (ago > 0)
      await db.query(
        `insert into site_backlog (site_id, day, devices, security, other, held, behind)
         select d.site_id, $2::date, count(*), sum(security), sum(other), sum(held),
           count(*) filter (where oldest / 1000 < extract(epoch from $2::date + 1) - 14 * 86400)
         from ${told} join device d on d.id = r.id where d.kind in ('server', 'workstation') group by 1
         on conflict do nothing`,
        values,
      )
  }
}
