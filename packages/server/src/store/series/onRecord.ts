import { collectorOfMetric, day, hour, type DeviceId, type Millis, type Reading } from '#core'
import { rows, time, type Db } from '../../db'
import { dateOf, dayKey, dayOf, readDays, unionOfDays, type DeviceDay } from './days'

/** A report as it can be told from what is packed. */
export interface ReportOnRecord {
  at: Millis
  /** When those shortly before it were made, newest first. */
  before: Millis[]
  readings: Reading[]
}

export interface LatestOnRecord {
  at: Millis
  readings: [metric: string, instance: string, value: number][]
}

/** Not all values are read with each report, but each once an hour. */
const readWithin: Millis = 2 * hour

/** Of each device the last day on which it reported until then, with what it told shortly before its last report. */
async function lastDays(
  db: Db,
  deviceIds: readonly DeviceId[],
  at: Millis,
  back: Millis,
  metrics: readonly string[] | null = null,
): Promise<DeviceDay[]> {
  const found = await rows<{ device_id: DeviceId; day: number }>(
    db,
    // By the primary key (device, day).
    `select d.id as device_id, k.day - '1970-01-01'::date as day from unnest($1::int[]) d (id)
     cross join lateral (select day from report_day where device_id = d.id and day between $2 and $3 and first_at <= $4
       order by day desc limit 1) k`,
    [deviceIds, dateOf(dayOf(at - back)), dateOf(dayOf(at)), time(at)],
  )
  const days = await readDays(
    db,
    found.map(({ device_id: deviceId, day: index }) => ({ deviceId, from: index, until: index })),
    metrics,
  )
  const last = found.flatMap(({ device_id: deviceId, day: index }) => days.get(dayKey({ deviceId, day: index })) ?? [])
  const early = last.filter(({ day: index, times }) => index > dayOf(times[lastNotAfter(times, at)]! - readWithin))
  const before = await readDays(
    db,
    early.map(({ deviceId, day: index }) => ({ deviceId, from: index - 1, until: index - 1 })),
    metrics,
  )
  return last.map((each) => {
    const eve = before.get(dayKey({ ...each, day: each.day - 1 }))
    return eve ? unionOfDays(eve, each) : each
  })
}

const lastNotAfter = (times: Float64Array, at: Millis) => times.findLastIndex((time) => time <= at)

/**
 * The newest report until then, where no report of that time is kept as it came.
 * @param back how long before at most
 */
export async function reportOnRecord(
  db: Db,
  deviceId: DeviceId,
  at: Millis,
  back: Millis = 40 * day,
): Promise<ReportOnRecord | null> {
  const [found] = await lastDays(db, [deviceId], at, back)
  const last = found ? lastNotAfter(found.times, at) : -1
  if (!found || last < 0) return null
  const made = found.times[last]!
  const readings = [...found.series.values()].flatMap(({ metric, instance, samples }): Reading[] => {
    const i = lastNotAfter(samples.at, made)
    return i >= 0 && samples.at[i] === made ? [[metric, instance, samples.value[i]!]] : []
  })
  return { at: made, before: [...found.times.subarray(Math.max(0, last - 3), last)].reverse(), readings }
}

/**
 * The newest value of each series until then, of devices of which no report of that time is kept as it came. Of each
 * collector what it read last, so that a disk that was gone does not stay in sight.
 */
export async function latestOnRecord(
  db: Db,
  deviceIds: readonly DeviceId[],
  at: Millis,
  metrics: readonly string[] | null = null,
): Promise<Map<DeviceId, LatestOnRecord>> {
  const latest = new Map<DeviceId, LatestOnRecord>()
  for (const { deviceId, times, series } of await lastDays(db, deviceIds, at, 40 * day, metrics)) {
    const made = times[lastNotAfter(times, at)]
    if (made === undefined) continue
    const newest = new Map<string, Millis>()
    const found = [...series.values()].flatMap(({ metric, instance, samples }) => {
      const i = lastNotAfter(samples.at, made)
      if (i < 0 || samples.at[i]! < made - readWithin) return []
      const collector = collectorOfMetric(metric) ?? metric
      newest.set(collector, Math.max(newest.get(collector) ?? 0, samples.at[i]!))
      return [
        { collector, at: samples.at[i]!, reading: [metric, instance, samples.value[i]!] as [string, string, number] },
      ]
    })
    latest.set(deviceId, {
      at: made,
      readings: found.filter((each) => each.at === newest.get(each.collector)).map(({ reading }) => reading),
    })
  }
  return latest
}
