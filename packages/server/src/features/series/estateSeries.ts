import type { EstateSeries, EstateSeriesOrder, EstateSeriesRow, FillingDisk, FillingDisks } from '#contract'
import {
  day,
  daysOfPace,
  emptySketch,
  fullIn,
  groupsBy,
  hour,
  mergeSketch,
  metrics,
  noHours,
  pointsOfHours,
  sketchQuantile,
  summariseHours,
  trendOf,
  unpackWeek,
  valueOf,
  type DayFigure,
  type DeviceId,
  type DeviceKind,
  type MetricName,
  type Millis,
  type Week,
} from '#core'
import { rows, type Db } from '../../db'
import { cutWeeks, dateOf, dateOfWeek, weekOf } from '../../store/series'
import { ofClients, type Viewer } from '../access'
import { worseOf } from './rhythm'

export interface EstateAsked {
  client?: number
  kind?: DeviceKind
  role?: string
  words?: string
}

interface Series {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  siteName: string
  n: number
  instance: string
}
const rest = () => new Promise((resolve) => setImmediate(resolve))
const dateOfDay = (at: Millis) => dateOf(Math.floor(at / day))

/**
 * Of one metric on all devices that are asked for what the days from one time to before another come down to. By the
 * primary key (device, series, day) of `day_figure`: at 10,000 devices with one series each and two weeks 140,000 rows.
 * @param figures columns with their aggregates
 */
function figuresOf<T>(
  db: Db,
  viewer: Viewer,
  metric: MetricName,
  { client, kind, role, words }: EstateAsked,
  { from, until }: Span,
  figures: string,
): Promise<(Series & T)[]> {
  return rows<Series & T>(
    db,
    `
    select d.id as "deviceId", d.name as "deviceName", c.name as "clientName", t.name as "siteName", s.n, s.instance, f.*
    from device d join client c on c.id = d.client_id join site t on t.id = d.site_id
    join series s on s.device_id = d.id and s.metric = $1
    cross join lateral (
      select ${figures} from day_figure f where f.device_id = d.id and f.n = s.n and f.day between $2::date and $3::date
      having count(*) > 0
    ) f
    where d.retired_at is null and ${ofClients('d.client_id', 4)} and ($5::int is null or d.client_id = $5)
      and ($6::text is null or d.kind = $6) and ($7::text is null or $7 = any(d.roles))
      and ($8::text is null or concat_ws(' ', d.name, c.name, t.name, s.instance) ilike $8)
    order by d.id, s.n`,
    [
      metric,
      dateOfDay(from),
      dateOfDay(until - 1),
      viewer.clientIds,
      client ?? null,
      kind ?? null,
      role ?? null,
      words ? `%${words.replace(/[\\%_]/g, '\\$&')}%` : null,
    ],
  )
}

const nameOf = ({ deviceId, n }: Pick<Series, 'deviceId' | 'n'>) => `${deviceId} ${n}`

/** What is summed up of some series, by device and number: by the primary key of `rollup`. */
async function summedUp(
  db: Db,
  series: readonly Pick<Series, 'deviceId' | 'n'>[],
  { from, until }: Span,
): Promise<Map<string, Week>> {
  const found = await rows<{ deviceId: DeviceId; n: number; week: number; data: Buffer }>(
    db,
    `select r.device_id as "deviceId", r.n, (r.week - '1970-01-01'::date) / 7 as week, r.data
     from unnest($1::int[], $2::int[]) w (device_id, n)
     join rollup r on r.device_id = w.device_id and r.n = w.n and r.week between $3::date and $4::date order by r.week`,
    [
      series.map(({ deviceId }) => deviceId),
      series.map(({ n }) => n),
      dateOfWeek(weekOf(Math.floor(from / day))),
      dateOfWeek(weekOf(Math.floor((until - 1) / day))),
    ],
  )
  const weeks = groupsBy(found, nameOf)
  return new Map(
    [...weeks].map(([name, parts]) => [
      name,
      cutWeeks(
        parts.map(({ week, data }) => unpackWeek(week, data)),
        from,
        until,
      ),
    ]),
  )
}

/** The newest readings of some metrics, by `newestName`: of the last report, and of the last that read disks. */
async function lastReadings(
  db: Db,
  found: readonly Pick<Series, 'deviceId'>[],
  names: readonly MetricName[],
): Promise<Map<string, number>> {
  const newest = await rows<{ id: DeviceId; metric: MetricName; instance: string; value: number }>(
    db,
    // By the primary key (device, at), two a device at most, the newer one last. With a limit each is looked
    // up by itself: joined, all reports of the week would be read. Where a metric stands is looked up once a layout.
    `with places as materialized (
       select y.id, e.n, e.s->>0 as metric, e.s->>1 as instance from layout y
       cross join lateral jsonb_array_elements(y.series) with ordinality e (s, n) where e.s->>0 = any($2)
     )
     select d.id, p.metric, p.instance, r.value[p.n] as value from device d
     cross join lateral
       unnest(case when d.disks_at < d.last_at then array[d.disks_at, d.last_at] else array[d.last_at] end)
       with ordinality t (at, nth)
     cross join lateral (
       select layout_id, value from report where device_id = d.id and at = t.at order by seq desc limit 1
     ) r
     join places p on p.id = r.layout_id
     where d.id = any($1) order by d.id, t.nth`,
    [[...new Set(found.map(({ deviceId }) => deviceId))], names],
  )
  return new Map(newest.map(({ id, metric, instance, value }) => [newestName(id, metric, instance), value]))
}

const newestName = (id: DeviceId, metric: MetricName, instance: string) => `${id} ${metric} ${instance}`

interface Span {
  from: Millis
  until: Millis
}

/**
 * Days that are over, in UTC, and have been for an hour: what is summed up of them is whole. Until then one of them is
 * still being packed.
 */
const wholeDays = (days: number, now: Millis): Span => {
  const until = Math.floor((now - hour) / day) * day
  return { from: until - days * day, until }
}

export interface EstateSeriesAsked extends EstateAsked {
  metric: MetricName
  days: number
  order: EstateSeriesOrder
  /** Only those whose figure of this order is as bad as this, or worse; in the metric's unit. */
  beyond?: number
  limit: number
}

const noWeek: Week = { hours: noHours(), days: new Map() }

/** So many series at a time are worked out whole. */
const atOnce = 100

/** The percentile on the worse side, the 95th or the 5th, of all readings of a series together. */
function percentile(metric: MetricName, { hours, days }: Week): number {
  const sketch = emptySketch()
  for (const each of days.values()) mergeSketch(sketch, each)
  const { min, max, p95 } = summariseHours(metric, hours, sketch, null)!
  return worseOf(metric) === 1 ? p95 : Math.min(max, Math.max(min, sketchQuantile(sketch, 0.05)))
}

/** Devices whose days a version before had summed up without figures, which are made one after the other. */
async function figuresDue(db: Db, viewer: Viewer, client: number | undefined): Promise<number> {
  const [found] = await rows<{ count: number }>(
    db,
    `select count(*)::int as count from figure_due f join device d on d.id = f.device_id
     where d.retired_at is null and ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2)`,
    [viewer.clientIds, client ?? null],
  )
  return found!.count
}

/**
 * One metric on all devices. Which series come first by a percentile is known of those alone whose readings are summed
 * up as a whole. Each day has figures between which it lies; the most that it can be says in which order they are
 * worked out, and when none of the others can be worse any more.
 */
export async function estateSeries(
  db: Db,
  viewer: Viewer,
  { metric, days, order, beyond, limit, ...asked }: EstateSeriesAsked,
  now: Millis,
): Promise<EstateSeries> {
  const span = wholeDays(days, now)
  const { from, until } = span
  const width = days <= 2 ? hour : days <= 14 ? 6 * hour : day
  const sign = worseOf(metric)
  const found = await figuresOf<DayFigure>(
    db,
    viewer,
    metric,
    asked,
    span,
    `sum(f.count)::float8 as count, min(f.min) as min, max(f.max) as max, sum(f.sum) as sum, min(f.low) as low,
     max(f.high) as high`,
  )
  const newest = await lastReadings(db, found, [metric])
  const { resolution } = metrics[metric]
  const isBeyond = (row: Pick<EstateSeriesRow, EstateSeriesOrder>) => {
    const value = row[order]
    return beyond === undefined || (value !== null && sign * (value - beyond) >= 0)
  }
  const all = found
    .map(({ count, min, max, sum, low, high, ...one }) => ({
      ...one,
      last: newest.get(newestName(one.deviceId, metric, one.instance)) ?? null,
      min: valueOf(resolution, min),
      mean: valueOf(resolution, sum) / count,
      max: valueOf(resolution, max),
      // At the worst; it is worked out for those that may be shown.
      p95: sign === 1 ? Math.max(high, valueOf(resolution, min)) : Math.min(low, valueOf(resolution, max)),
      isWorstCase: true,
    }))
    .filter(isBeyond)
  const value = (row: (typeof all)[number]) => row[order] ?? (sign === 1 ? -Infinity : Infinity)
  const worstFirst = (a: (typeof all)[number], b: (typeof all)[number]) =>
    sign * (value(b) - value(a)) || a.deviceId - b.deviceId || a.n - b.n
  all.sort(worstFirst)
  const known: (typeof all)[number][] = []
  const weeks = new Map<string, Week>()
  let done = 0
  for (let i = 0; i < all.length; i += atOnce) {
    if (order !== 'p95' && known.length >= limit) break
    // Those that are worked out stand in order; what comes next can be as bad as it says, and no worse.
    const last = known[limit - 1]
    if (last && worstFirst(last, all[i]!) < 0) break
    const part = all.slice(i, i + atOnce)
    for (const [name, week] of await summedUp(db, part, span)) weeks.set(name, week)
    // Weeks may be kept for less long than figures: then the most that it can be stands for it.
    for (const row of part) {
      const week = weeks.get(nameOf(row))
      const found = week?.hours.hour.length ? { ...row, p95: percentile(metric, week), isWorstCase: false } : row
      if (isBeyond(found)) known.push(found)
    }
    done += part.length
    known.sort(worstFirst)
    for (const row of known.slice(limit)) weeks.delete(nameOf(row))
    await rest()
  }
  return {
    from,
    until,
    width,
    isScarce: sign === -1,
    // What none can be worse than was not worked out; of a percentile it may lie beyond, or not.
    total: order === 'p95' ? known.length + all.length - done : all.length,
    isTotalMost: order === 'p95' && beyond !== undefined && done < all.length,
    due: await figuresDue(db, viewer, asked.client),
    rows: known.slice(0, limit).map(({ n, ...row }): EstateSeriesRow => ({
      ...row,
      means: meansOf(metric, weeks.get(nameOf({ deviceId: row.deviceId, n })) ?? noWeek, from, until, width),
    })),
  }
}

function meansOf(metric: MetricName, week: Week, from: Millis, until: Millis, width: Millis): (number | null)[] {
  const means = Array<number | null>(Math.ceil((until - from) / width)).fill(null)
  for (const { at, mean } of pointsOfHours(metric, week.hours, width)) means[Math.floor((at - from) / width)] = mean
  return means
}

/** So far ahead it is told. */
const farthest: Millis = 400 * day

/** Disks that fill at their pace of the last weeks, the soonest first. */
export async function fillingDisks(
  db: Db,
  viewer: Viewer,
  asked: EstateAsked,
  limit: number,
  now: Millis,
): Promise<FillingDisks> {
  const found = await figuresOf<{ at: Millis[]; least: number[]; most: number[] }>(
    db,
    viewer,
    'disk.free',
    asked,
    wholeDays(daysOfPace, now),
    `array_agg((f.day - '1970-01-01'::date) * ${day}::float8 order by f.day) as at,
     array_agg(f.min order by f.day) as least, array_agg(f.max order by f.day) as most`,
  )
  const newest = await lastReadings(db, found, ['disk.free', 'disk.size'])
  const { resolution } = metrics['disk.free']
  const bytes = (steps: readonly number[]) => steps.map((each) => valueOf(resolution, each))
  let unknown = 0
  const all: FillingDisk[] = []
  for (const [i, { at, least, most, n: _n, ...one }] of found.entries()) {
    // Of ten thousand disks the slopes are some million: others are served between.
    if (i % 200 === 199) await rest()
    const days = { at, least: bytes(least), most: bytes(most) }
    const trend = trendOf(days)
    if (!trend) {
      unknown++
      continue
    }
    const free = newest.get(newestName(one.deviceId, 'disk.free', one.instance)) ?? days.least.at(-1)!
    const full = fullIn(trend, free, now)
    if (!full || full.likely > farthest) continue
    const size = newest.get(newestName(one.deviceId, 'disk.size', one.instance)) ?? null
    all.push({
      ...one,
      size,
      free,
      perDay: full.perDay,
      clearedEvery: trend.clearedEvery,
      soonestAt: now + full.soonest,
      fullAt: now + full.likely,
      latestAt: full.latest > farthest ? null : now + full.latest,
    })
  }
  all.sort((a, b) => a.fullAt - b.fullAt || a.deviceId - b.deviceId)
  return { looked: found.length, unknown, total: all.length, rows: all.slice(0, limit) }
}
