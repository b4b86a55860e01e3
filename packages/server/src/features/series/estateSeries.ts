import type { EstateSeries, EstateSeriesOrder, EstateSeriesRow, FillingDisks } from '#contract'
import {
  day,
  emptySketch,
  fillingOf,
  hour,
  mergeSketch,
  pointsOfHours,
  sketchQuantile,
  summariseHours,
  unpackWeek,
  type DeviceId,
  type DeviceKind,
  type MetricName,
  type Millis,
  type Week,
} from '#core'
import { rows, type Db } from '../../db'
import { cutWeeks, weekOf } from '../../store/series'
import { ofClients, type Viewer } from '../access'
import { worseOf } from './rhythm'

export interface EstateAsked {
  client?: number
  kind?: DeviceKind
  role?: string
  words?: string
}

interface Found {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  siteName: string
  instance: string
  week: Week
}

const rest = () => new Promise((resolve) => setImmediate(resolve))
const dateOfWeek = (week: number) => new Date(week * 7 * day).toISOString().slice(0, 10)

/**
 * What is summed up of one metric on all devices that are asked for, by device and instance. At 10,000 devices with one
 * series each and two weeks: 20,000 rows of the primary key (device, series, week) of `rollup`.
 */
async function summedUp(
  db: Db,
  viewer: Viewer,
  metric: MetricName,
  { client, kind, role, words }: EstateAsked,
  from: Millis,
  until: Millis,
): Promise<Found[]> {
  const found = await rows<Omit<Found, 'week'> & { n: number; week: number; data: Buffer }>(
    db,
    `
    select d.id as "deviceId", d.name as "deviceName", c.name as "clientName", t.name as "siteName", s.n, s.instance,
      (r.week - '1970-01-01'::date) / 7 as week, r.data
    from device d join client c on c.id = d.client_id join site t on t.id = d.site_id
    join series s on s.device_id = d.id and s.metric = $1
    join rollup r on r.device_id = d.id and r.n = s.n and r.week between $2 and $3
    where d.retired_at is null and ${ofClients('d.client_id', 4)} and ($5::int is null or d.client_id = $5)
      and ($6::text is null or d.kind = $6) and ($7::text is null or $7 = any(d.roles))
      and ($8::text is null or concat_ws(' ', d.name, c.name, t.name, s.instance) ilike $8)
    order by d.id, s.n, r.week`,
    [
      metric,
      dateOfWeek(weekOf(Math.floor(from / day))),
      dateOfWeek(weekOf(Math.floor((until - 1) / day))),
      viewer.clientIds,
      client ?? null,
      kind ?? null,
      role ?? null,
      words ? `%${words.replace(/[\\%_]/g, '\\$&')}%` : null,
    ],
  )
  const series: Found[] = []
  let weeks: Week[] = []
  for (const [i, { n, week, data, ...one }] of found.entries()) {
    // Of ten thousand devices this takes half a second: others are served between.
    if (i % 500 === 499) await rest()
    weeks.push(unpackWeek(week, data))
    const next = found[i + 1]
    if (next?.deviceId === one.deviceId && next.n === n) continue
    const cut = cutWeeks(weeks, from, until)
    weeks = []
    if (cut.hours.hour.length) series.push({ ...one, week: cut })
  }
  return series
}

/** The newest readings of a metric, by device and instance: of the last report, and of the last that read disks. */
async function lastReadings(db: Db, ids: readonly DeviceId[], metric: MetricName): Promise<Map<string, number>> {
  const found = await rows<{ id: DeviceId; instance: string; value: number }>(
    db,
    // By the primary key (device, at), two a device; where the metric stands is looked up once a layout.
    `with places as materialized (
       select y.id, e.n, e.s->>1 as instance from layout y
       cross join lateral jsonb_array_elements(y.series) with ordinality e (s, n) where e.s->>0 = $2
     )
     select d.id, p.instance, r.value[p.n] as value from device d
     join report r on r.device_id = d.id and r.at in (d.last_at, d.disks_at)
     join places p on p.id = r.layout_id
     where d.id = any($1) order by d.id, r.at`,
    [ids, metric],
  )
  return new Map(found.map(({ id, instance, value }) => [`${id} ${instance}`, value]))
}

/** Days that are over, in UTC: what is summed up of them is whole. */
const wholeDays = (days: number, now: Millis) => {
  const until = Math.floor(now / day) * day
  return { from: until - days * day, until }
}

export interface EstateSeriesAsked extends EstateAsked {
  metric: MetricName
  days: number
  order: EstateSeriesOrder
  limit: number
}

export async function estateSeries(
  db: Db,
  viewer: Viewer,
  { metric, days, order, limit, ...asked }: EstateSeriesAsked,
  now: Millis,
): Promise<EstateSeries> {
  const { from, until } = wholeDays(days, now)
  const width = days <= 2 ? hour : days <= 14 ? 6 * hour : day
  const sign = worseOf(metric)
  const found = await summedUp(db, viewer, metric, asked, from, until)
  const last = await lastReadings(db, [...new Set(found.map(({ deviceId }) => deviceId))], metric)
  const all = found.map(({ week, ...one }): EstateSeriesRow & { week: Week } => {
    const sketch = emptySketch()
    for (const each of week.days.values()) mergeSketch(sketch, each)
    const { min, mean, max, p95 } = summariseHours(metric, week.hours, sketch, null)!
    const low = Math.min(max, Math.max(min, sketchQuantile(sketch, 0.05)))
    const newest = last.get(`${one.deviceId} ${one.instance}`) ?? null
    return { ...one, last: newest, min, mean, max, p95: sign === 1 ? p95 : low, means: [], week }
  })
  const value = (row: EstateSeriesRow) => row[order] ?? (sign === 1 ? -Infinity : Infinity)
  all.sort((a, b) => sign * (value(b) - value(a)) || a.deviceId - b.deviceId)
  return {
    from,
    until,
    width,
    isScarce: sign === -1,
    total: all.length,
    rows: all.slice(0, limit).map(({ week, ...row }) => ({ ...row, means: meansOf(metric, week, from, until, width) })),
  }
}

function meansOf(metric: MetricName, week: Week, from: Millis, until: Millis, width: Millis): (number | null)[] {
  const means = Array<number | null>(Math.ceil((until - from) / width)).fill(null)
  for (const { at, mean } of pointsOfHours(metric, week.hours, width)) means[Math.floor((at - from) / width)] = mean
  return means
}

/** So long a pace is taken from, and so far ahead it is told. */
const paceOf = 14
const farthest: Millis = 400 * day
/** Days must agree so far on the direction: common practice, no source. */
const fewestAgree = -0.5

/** Disks that fill at their pace of the last two weeks, the soonest first. */
export async function fillingDisks(
  db: Db,
  viewer: Viewer,
  asked: EstateAsked,
  limit: number,
  now: Millis,
): Promise<FillingDisks> {
  const { from, until } = wholeDays(paceOf, now)
  const found = await summedUp(db, viewer, 'disk.free', asked, from, until)
  const ids = [...new Set(found.map(({ deviceId }) => deviceId))]
  const [free, sizes] = [await lastReadings(db, ids, 'disk.free'), await lastReadings(db, ids, 'disk.size')]
  let unknown = 0
  const all = found.flatMap(({ week, ...one }) => {
    const points = pointsOfHours('disk.free', week.hours, day)
    const filling = fillingOf(
      points.map(({ at }) => at),
      points.map(({ min }) => min),
    )
    if (!filling) unknown++
    if (!filling || filling.left === null || filling.agreement > fewestAgree) return []
    const left = free.get(`${one.deviceId} ${one.instance}`) ?? points.at(-1)!.min
    const until = (left / -filling.perDay) * day
    if (until > farthest) return []
    const { perDay, agreement } = filling
    return [
      {
        ...one,
        size: sizes.get(`${one.deviceId} ${one.instance}`) ?? null,
        free: left,
        perDay,
        agreement,
        fullAt: now + until,
      },
    ]
  })
  all.sort((a, b) => a.fullAt - b.fullAt || a.deviceId - b.deviceId)
  return { looked: found.length, unknown, total: all.length, rows: all.slice(0, limit) }
}
