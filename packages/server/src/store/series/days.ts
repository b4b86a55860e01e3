import {
  day,
  hour,
  isMetric,
  noSamples,
  packIntegers,
  packSeries,
  spacing,
  union,
  unpackIntegers,
  unpackSeries,
  type DeviceId,
  type Millis,
  type Samples,
} from '#core'
import { rows, time, type Db } from '../../db'
import { numberSeries, seriesKey, type SeriesName } from './names'

/** What a device reported on one day, counted from 1970 in UTC. */
export interface DeviceDay {
  deviceId: DeviceId
  day: number
  /** Of all its reports, ascending, each once. */
  times: Float64Array
  /** By their keys. */
  series: Map<string, SeriesName & { samples: Samples }>
}

export const dayOf = (at: Millis): number => Math.floor(at / day)
export const dateOf = (index: number): string => new Date(index * day).toISOString().slice(0, 10)
const dayIn = (date: string): number => Date.parse(date) / day

/** Of lists that may be longer than a call takes arguments. */
const least = (list: readonly number[]) => list.reduce((a, b) => Math.min(a, b))
const most = (list: readonly number[]) => list.reduce((a, b) => Math.max(a, b))

export const dayKey = ({ deviceId, day }: Pick<DeviceDay, 'deviceId' | 'day'>): string => `${deviceId} ${day}`

export const emptyDay = (deviceId: DeviceId, index: number): DeviceDay => ({
  deviceId,
  day: index,
  times: new Float64Array(0),
  series: new Map(),
})

/** What both know of the same day of a device; where both have a reading of one time, the second's counts. */
export function unionOfDays(a: DeviceDay, b: DeviceDay): DeviceDay {
  const times = union({ at: a.times, value: a.times }, { at: b.times, value: b.times }).at
  const series = new Map(a.series)
  for (const [key, { metric, instance, samples }] of b.series)
    series.set(key, { metric, instance, samples: union(series.get(key)?.samples ?? noSamples, samples) })
  return { deviceId: a.deviceId, day: a.day, times, series }
}

interface PackedRow {
  device_id: DeviceId
  n: number
  day: string
  data: Buffer
}

/**
 * The packed readings of devices on certain days, by `dayKey`; days of which there is nothing are left out. By the
 * primary key (device, series, day). The first and the last day of all stand by themselves, so that no partition of
 * another time is touched: it may lie on another server.
 * @param metrics null: all
 */
export async function readDays(
  db: Db,
  wanted: readonly { deviceId: DeviceId; from: number; until: number }[],
  metrics: readonly string[] | null = null,
): Promise<Map<string, DeviceDay>> {
  const days = new Map<string, DeviceDay>()
  if (!wanted.length) return days
  const found = await rows<PackedRow & Partial<SeriesName>>(
    db,
    // The times come before the series that were read at them.
    `select w.device_id, s.n, p.day::text, s.metric, s.instance, p.data
     from unnest($1::int[], $2::date[], $3::date[]) w (device_id, first, last)
     cross join lateral (
       select 0 as n, null as metric, null as instance
       union all select n, metric, instance from series where device_id = w.device_id and ($4::text[] is null or metric = any($4))
     ) s
     join packed p on p.device_id = w.device_id and p.n = s.n and p.day between w.first and w.last
       and p.day between $5::date and $6::date
     order by s.n`,
    [
      wanted.map(({ deviceId }) => deviceId),
      wanted.map(({ from }) => dateOf(from)),
      wanted.map(({ until }) => dateOf(until)),
      metrics,
      dateOf(least(wanted.map(({ from }) => from))),
      dateOf(most(wanted.map(({ until }) => until))),
    ],
  )
  for (const { device_id: deviceId, n, day: date, metric, instance, data } of found) {
    const key = dayKey({ deviceId, day: dayIn(date) })
    if (n === 0) {
      const [times] = unpackIntegers(data, 1)
      days.set(key, { ...emptyDay(deviceId, dayIn(date)), times: times! })
      continue
    }
    // A metric that this version does not know any more keeps its readings, and is shown by none.
    if (!isMetric(metric!)) continue
    const into = days.get(key)
    if (!into) throw new RangeError(`The readings of device ${deviceId} on ${date} have lost their times.`)
    const name = { metric, instance: instance! }
    into.series.set(seriesKey(name), { ...name, samples: unpackSeries(metric, into.times, data) })
  }
  return days
}

/** How it reported on that day, for the past that no single report is kept of. */
function reportDayOf({ times, series }: DeviceDay) {
  let hours = 0
  for (const at of times) hours |= 1 << Math.floor((at % day) / hour)
  let fullest: number | null = null
  let disksAt: Millis | null = null
  const disks = [...series.values()].filter(({ metric }) => metric === 'disk.free')
  for (const { samples } of disks) disksAt = Math.max(disksAt ?? 0, samples.at.at(-1) ?? 0) || null
  for (const { instance, samples } of disks) {
    const size = series.get(seriesKey({ metric: 'disk.size', instance }))?.samples.value.at(-1) ?? 0
    if (samples.at.at(-1) === disksAt && samples.at.length > 0)
      fullest = Math.max(fullest ?? 0, size > 0 ? 1 - samples.value.at(-1)! / size : 0)
  }
  return { hours, interval: spacing(times), disksAt, fullest }
}

/** Bytes as one parameter, which crosses as it is; an array of them would be written out and read again. */
export function oneAfterAnother(parts: readonly Uint8Array[]): { all: Buffer; starts: number[]; lengths: number[] } {
  let start = 1
  const starts = parts.map((part) => {
    const at = start
    start += part.length
    return at
  })
  return { all: Buffer.concat(parts), starts, lengths: parts.map((part) => part.length) }
}

/** Writes days in place of what is packed of them, for whoever holds the packing lock. Their partitions are there. */
export async function writeDays(tx: Db, days: readonly DeviceDay[]): Promise<void> {
  if (!days.length) return
  const numbers = await numberSeries(
    tx,
    days.flatMap(({ deviceId, series }) =>
      [...series.values()].map(({ metric, instance }) => ({ deviceId, metric, instance })),
    ),
  )
  const packed = days.flatMap(({ deviceId, day: index, times, series }) => [
    { deviceId, n: 0, index, count: times.length, data: packIntegers(times) },
    ...[...series].map(([key, { metric, samples }]) => ({
      deviceId,
      n: numbers.get(deviceId)!.get(key)!.n,
      index,
      count: samples.at.length,
      data: packSeries(metric, times, samples),
    })),
  ])
  const indexes = days.map((each) => each.day)
  // What was there goes first: partitions on other servers know no "on conflict".
  await tx.query(
    `delete from packed p using unnest($1::int[], $2::int[], $3::date[]) w (device_id, n, day)
     where p.device_id = w.device_id and p.n = w.n and p.day = w.day and p.day between $4::date and $5::date`,
    [
      packed.map(({ deviceId }) => deviceId),
      packed.map(({ n }) => n),
      packed.map(({ index }) => dateOf(index)),
      dateOf(least(indexes)),
      dateOf(most(indexes)),
    ],
  )
  const bytes = oneAfterAnother(packed.map(({ data }) => data))
  await tx.query(
    `insert into packed (device_id, n, day, count, data)
     select p.device_id, p.n, p.day, p.count, substring($5::bytea from p.start for p.length)
     from unnest($1::int[], $2::int[], $3::date[], $4::int[], $6::int[], $7::int[])
       p (device_id, n, day, count, start, length)`,
    [
      packed.map(({ deviceId }) => deviceId),
      packed.map(({ n }) => n),
      packed.map(({ index }) => dateOf(index)),
      packed.map(({ count }) => count),
      bytes.all,
      bytes.starts,
      bytes.lengths,
    ],
  )
  const reported = days.filter(({ times }) => times.length > 0).map((each) => ({ ...each, ...reportDayOf(each) }))
  await tx.query(
    `insert into report_day (device_id, day, reports, first_at, last_at, hours, interval_ms, disks_at, fullest)
     select * from unnest($1::int[], $2::date[], $3::int[], $4::timestamptz[], $5::timestamptz[], $6::int[], $7::int[],
       $8::timestamptz[], $9::real[])
     on conflict (device_id, day) do update set reports = excluded.reports, first_at = excluded.first_at,
       last_at = excluded.last_at, hours = excluded.hours, interval_ms = excluded.interval_ms,
       disks_at = excluded.disks_at, fullest = excluded.fullest`,
    [
      reported.map(({ deviceId }) => deviceId),
      reported.map(({ day: index }) => dateOf(index)),
      reported.map(({ times }) => times.length),
      reported.map(({ times }) => time(times[0]!)),
      reported.map(({ times }) => time(times.at(-1)!)),
      reported.map(({ hours }) => hours),
      reported.map(({ interval }) => (interval === null ? null : Math.round(interval))),
      reported.map(({ disksAt }) => time(disksAt)),
      reported.map(({ fullest }) => fullest),
    ],
  )
}
