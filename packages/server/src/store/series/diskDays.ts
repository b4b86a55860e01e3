import { day, daysOfPace, metrics, valueOf, type DeviceId, type DiskDays, type Millis, type Observed } from '#core'
import { rows, type Db } from '../../db'
import { dateOf } from './days'

/** What was free on a device's disks on whole days, by mount. */
export type DaysOfDisks = NonNullable<Observed['days']>

/**
 * What was least and most free on the disks of some devices on the whole days before a time, as far back as a pace is
 * taken from. By the primary key (device, series, day) of `day_figure`: 64 devices with three disks are 4,000 rows.
 */
export async function readDiskDays(
  db: Db,
  deviceIds: readonly DeviceId[],
  before: Millis,
): Promise<Map<DeviceId, DaysOfDisks>> {
  const today = Math.floor(before / day)
  const found = await rows<{ id: DeviceId; mount: string; at: Millis[]; least: number[]; most: number[] }>(
    db,
    `
    select s.device_id as id, s.instance as mount, f.at, f.least, f.most from series s
    cross join lateral (
      select array_agg((f.day - '1970-01-01'::date) * ${day}::float8 order by f.day) as at,
        array_agg(f.min order by f.day) as least, array_agg(f.max order by f.day) as most
      from day_figure f
      where f.device_id = s.device_id and f.n = s.n and f.day between $2::date and $3::date having count(*) > 0
    ) f
    where s.device_id = any($1) and s.metric = 'disk.free'`,
    [deviceIds, dateOf(today - daysOfPace), dateOf(today - 1)],
  )
  const { resolution } = metrics['disk.free']
  const bytes = (steps: readonly number[]) => steps.map((each) => valueOf(resolution, each))
  const all = new Map<DeviceId, Map<string, DiskDays>>()
  for (const { id, mount, at, least, most } of found) {
    const disks = all.get(id) ?? new Map<string, DiskDays>()
    disks.set(mount, { at, least: bytes(least), most: bytes(most) })
    all.set(id, disks)
  }
  return all
}
