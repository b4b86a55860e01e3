import type { DevicePage, DiskFill } from '#contract'
import { day, fullIn, trendOf, type Millis } from '#core'
import type { Db } from '../../db'
import { readDiskDays } from '../../store/series'

/** So far ahead it is told when a disk will be full. */
const farthest: Millis = 400 * day

/** When the disks of a device will be full, of those that fill. @param readings its newest */
export async function fillsOf(
  db: Db,
  id: number,
  readings: NonNullable<DevicePage['latest']>['readings'],
  now: Millis,
): Promise<DiskFill[]> {
  const days = (await readDiskDays(db, [id], now)).get(id)
  return readings.flatMap(([metric, mount, free]): DiskFill[] => {
    const known = metric === 'disk.free' ? days?.get(mount) : undefined
    const trend = known ? trendOf(known) : null
    const full = trend && fullIn(trend, free, now)
    if (!trend || !full || full.likely > farthest) return []
    const { soonest, likely, latest, perDay } = full
    return [
      { mount, soonest, likely, latest: latest > farthest ? null : latest, perDay, clearedEvery: trend.clearedEvery },
    ]
  })
}
