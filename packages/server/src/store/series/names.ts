import type { DeviceId, MetricName } from '#core'
import { rows, type Db } from '../../db'

/** A series of one device. */
export interface SeriesName {
  metric: MetricName
  instance: string
}

export const seriesKey = ({ metric, instance }: SeriesName): string => `${metric}|${instance}`

/** Of each device by its key the number under which a series is packed. */
export type SeriesNumbers = ReadonlyMap<DeviceId, ReadonlyMap<string, SeriesName & { n: number }>>

export async function seriesNumbers(db: Db, deviceIds: readonly DeviceId[]): Promise<SeriesNumbers> {
  const found = await rows<{ device_id: DeviceId; n: number } & SeriesName>(
    db,
    'select device_id, n, metric, instance from series where device_id = any($1)',
    [deviceIds],
  )
  const numbers = new Map<DeviceId, Map<string, SeriesName & { n: number }>>()
  for (const { device_id, n, metric, instance } of found) {
    const ofDevice = numbers.get(device_id) ?? new Map<string, SeriesName & { n: number }>()
    numbers.set(device_id, ofDevice.set(seriesKey({ metric, instance }), { n, metric, instance }))
  }
  return numbers
}

/** Gives numbers to series that have none. Whoever packs a device is alone with it. */
export async function numberSeries(
  db: Db,
  wanted: readonly (SeriesName & { deviceId: DeviceId })[],
): Promise<SeriesNumbers> {
  const deviceIds = [...new Set(wanted.map(({ deviceId }) => deviceId))]
  const known = await seriesNumbers(db, deviceIds)
  const missing = wanted.filter((series) => !known.get(series.deviceId)?.has(seriesKey(series)))
  if (!missing.length) return known
  await db.query(
    `insert into series (device_id, n, metric, instance)
     select w.device_id, coalesce((select max(s.n) from series s where s.device_id = w.device_id), 0)
       + row_number() over (partition by w.device_id order by w.metric, w.instance), w.metric, w.instance
     from unnest($1::int[], $2::text[], $3::text[]) w (device_id, metric, instance)
     on conflict (device_id, metric, instance) do nothing`,
    [
      missing.map(({ deviceId }) => deviceId),
      missing.map(({ metric }) => metric),
      missing.map(({ instance }) => instance),
    ],
  )
  return seriesNumbers(db, deviceIds)
}
