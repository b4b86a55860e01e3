import type { Millis, Observed } from '#core'
import { firstRow, time, type Db } from '../db'
import type { TraitsRow } from './traits'

export type DeviceThen = TraitsRow & {
  zone: string
  known_since: Millis
  interval_ms: number
  failed: Observed['failed']
}

/** What it was then; before that is known, what it was first. By the primary key (device, since). */
export async function deviceAt(db: Db, id: number, at: Millis): Promise<DeviceThen | null> {
  return firstRow<DeviceThen>(
    db,
    `
    select d.id, p.name, p.client_id, p.site_id, p.kind, p.os_family, p.os_name, p.roles, p.tags, p.addresses,
      coalesce(z.zone, s.zone) as zone, first.since as known_since,
      coalesce(d.reported_interval_ms, d.interval_ms) as interval_ms,
      (select coalesce(jsonb_agg(f->>'collector'), '[]') from jsonb_array_elements(d.failed) f) as failed
    from device d
    join lateral (select * from device_past
      where device_id = d.id
      order by since <= $2 desc, case when since <= $2 then since end desc, since limit 1) p on true
    join lateral (select min(since) as since from device_past where device_id = d.id) first on true
    join site s on s.id = p.site_id
    left join lateral (select zone from site_past where site_id = p.site_id and since <= $2
      order by since desc limit 1) z on true
    where d.id = $1`,
    [id, time(at)],
  )
}
