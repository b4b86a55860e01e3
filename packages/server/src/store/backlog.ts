import { behindAfterDays } from '#contract'
import { day, type DeviceId, type Millis } from '#core'
import { firstRow, time, type Db, type Pool } from '../db'

/** Its last word of a day stands for the day. Where no lists were ever fetched nobody knows what waits. */
export async function keepBacklog(
  tx: Db,
  deviceId: DeviceId,
  facts: readonly { at: Millis; value: unknown }[],
): Promise<void> {
  await tx.query(
    `
    insert into backlog_day (device_id, day, until, security, other, held, oldest_security_at)
    select distinct on (day) $1::int, (f.at at time zone 'UTC')::date as day, (f.at at time zone 'UTC')::date + 7,
      (f.value->>'security')::int,
      (f.value->>'other')::int, coalesce((f.value->>'held')::int, 0),
      to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000)
    from unnest($2::timestamptz[], $3::jsonb[]) f (at, value)
    where coalesce(f.value->'listsAt', '0') <> 'null'
    order by day, f.at desc
    on conflict (device_id, day) do update set security = excluded.security, other = excluded.other,
      held = excluded.held, oldest_security_at = excluded.oldest_security_at`,
    [deviceId, facts.map((fact) => time(fact.at)), facts.map((fact) => JSON.stringify(fact.value))],
  )
  await endBacklog(tx, deviceId, Math.min(...facts.map((fact) => fact.at)))
}

/** Each word holds until the next one, and for a week at most. @param from words before it are as they were */
async function endBacklog(tx: Db, deviceId: DeviceId, from: Millis): Promise<void> {
  await tx.query(
    `
    update backlog_day b set until = n.until
    from (
      select day, least(day + 7, lead(day) over (order by day)) as until from backlog_day
      where device_id = $1 and day > ($2::timestamptz at time zone 'UTC')::date - 8
    ) n
    where b.device_id = $1 and b.day = n.day and b.until <> n.until`,
    [deviceId, time(from)],
  )
}

/** Gives a device the days of one that it was before. */
export async function takeOverBacklog(tx: Db, deviceId: DeviceId, from: DeviceId): Promise<void> {
  await tx.query(
    `insert into backlog_day select $1, day, until, security, other, held, oldest_security_at from backlog_day
     where device_id = $2 on conflict do nothing`,
    [deviceId, from],
  )
  await tx.query('delete from backlog_day where device_id = $1', [from])
  await endBacklog(tx, deviceId, 0)
}

/** So far back agents may still tell, and days are summed up anew; and so long the days of devices are kept. */
const mayChangeFor = 14
const keptDays = 45

/**
 * Sums up what waited on the days that are over, by site: those that were not yet, once a day all on which a late
 * report may have told something, and yesterday each time. The last word of a device holds for a week.
 */
export async function sumBacklog(pool: Pool, now: Millis): Promise<void> {
  const today = time(now - (now % day))
  const last = await firstRow<{ missing: number | null }>(
    pool,
    `select ($1::timestamptz at time zone 'UTC')::date - max(day) - 1 as missing from site_backlog`,
    [today],
  )
  const missing = last?.missing ?? keptDays
  const days = missing > 0 ? Math.min(keptDays, Math.max(mayChangeFor, missing)) : 2
  await pool.query(
    `
    insert into site_backlog (site_id, day, devices, security, other, held, behind)
    select d.site_id, g::date, count(*), sum(b.security), sum(b.other), sum(b.held),
      count(*) filter (where b.oldest_security_at
        < ((g::date + 1)::timestamp at time zone 'UTC') - interval '${behindAfterDays} days')
    from (select ($1::timestamptz at time zone 'UTC')::date as today) t
    cross join backlog_day b
    join device d on d.id = b.device_id
    cross join lateral
      generate_series(greatest(b.day, t.today - $2::int), least(b.until, t.today) - 1, interval '1 day') g
    where b.day < t.today and b.until > t.today - $2::int and d.kind in ('server', 'workstation')
      and (d.retired_at is null or d.retired_at > g)
    group by 1, 2
    -- Two processes may do it at once: in one order neither waits for the other for ever.
    order by 1, 2
    on conflict (site_id, day) do update set devices = excluded.devices, security = excluded.security,
      other = excluded.other, held = excluded.held, behind = excluded.behind`,
    [today, days],
  )
  await pool.query(`delete from backlog_day where day < ($1::timestamptz at time zone 'UTC')::date - $2::int`, [
    today,
    keptDays,
  ])
}
