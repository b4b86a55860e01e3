import {
  addHour,
  day,
  dayFigure,
  hour,
  hoursOf,
  increases,
  isMetric,
  metrics,
  noHours,
  packWeek,
  sketchOf,
  unpackWeek,
  type DeviceId,
  type Metric,
  type MetricName,
  type Millis,
  type Samples,
  type Week,
} from '#core'
import { rows, type Db } from '../../db'
import { countersBefore } from './counters'
import { oneAfterAnother, type DeviceDay } from './days'
import { writeFigures, type FigureOfDay } from './figures'
import { numberSeries, seriesKey } from './names'
import { dateOfWeek, weekOf } from './weekDates'

const hoursOfDay = day / hour

/** A week with what became of one of its days in place of what it said of it. */
function withDay({ hours, days }: Week, index: number, metric: MetricName, samples: Samples): Week {
  const merged = noHours()
  const [first, next] = [index * hoursOfDay, (index + 1) * hoursOfDay]
  const fresh = hoursOf(metric, samples)
  let i = 0
  for (; i < hours.hour.length && hours.hour[i]! < first; i++) addHour(merged, hours, i)
  for (let j = 0; j < fresh.hour.length; j++) addHour(merged, fresh, j)
  for (; i < hours.hour.length; i++) if (hours.hour[i]! >= next) addHour(merged, hours, i)
  const sketches = new Map(days)
  if (samples.at.length > 0) sketches.set(index, sketchOf(samples.value))
  else sketches.delete(index)
  return { hours: merged, days: sketches }
}

/** What counts of a series: its readings, or what a counter rose by. */
export function countedOf(metric: MetricName, samples: Samples, before?: number): Samples {
  const spec: Metric = metrics[metric]
  return spec.counter ? increases(samples, before) : samples
}

/** Sums days up in their weeks, in place of what these say of them, for whoever holds the packing lock. */
export async function rollUp(tx: Db, days: readonly DeviceDay[]): Promise<void> {
  const before = await countersBefore(tx, days)
  const numbers = await numberSeries(
    tx,
    days.flatMap(({ deviceId, series }) =>
      [...series.values()].map(({ metric, instance }) => ({ deviceId, metric, instance })),
    ),
  )
  const wanted = new Map<string, { deviceId: DeviceId; n: number; week: number }>()
  for (const { deviceId, day: index, series } of days)
    for (const key of series.keys()) {
      const { n } = numbers.get(deviceId)!.get(key)!
      wanted.set(`${deviceId} ${n} ${weekOf(index)}`, { deviceId, n, week: weekOf(index) })
    }
  if (!wanted.size) return
  const list = [...wanted.values()]
  const ordered = list.map(({ week }) => week).sort((a, b) => a - b)
  // By the first and the last week no partition of another time is touched, which may lie on another server.
  const at = [
    list.map(({ deviceId }) => deviceId),
    list.map(({ n }) => n),
    list.map(({ week }) => dateOfWeek(week)),
    dateOfWeek(ordered[0]!),
    dateOfWeek(ordered.at(-1)!),
  ]
  const found = await rows<{ device_id: DeviceId; n: number; week: number; data: Buffer }>(
    tx,
    `select r.device_id, r.n, (r.week - '1970-01-01'::date) / 7 as week, r.data
     from unnest($1::int[], $2::int[], $3::date[]) w (device_id, n, week)
     join rollup r on r.device_id = w.device_id and r.n = w.n and r.week = w.week and r.week between $4::date and $5::date`,
    at,
  )
  const weeks = new Map(
    found.map(({ device_id, n, week, data }) => [`${device_id} ${n} ${week}`, unpackWeek(week, data)]),
  )
  const figures: FigureOfDay[] = []
  for (const { deviceId, day: index, series } of days)
    for (const [key, { metric, instance, samples }] of series) {
      const { n } = numbers.get(deviceId)!.get(seriesKey({ metric, instance }))!
      const name = `${deviceId} ${n} ${weekOf(index)}`
      const week = weeks.get(name) ?? { hours: noHours(), days: new Map() }
      const summed = withDay(week, index, metric, countedOf(metric, samples, before(deviceId, key, index)))
      weeks.set(name, summed)
      const figure = dayFigure(summed, index)
      if (figure) figures.push({ ...figure, deviceId, n, day: index })
    }
  const bytes = oneAfterAnother(
    list.map(({ deviceId, n, week }) => packWeek(week, weeks.get(`${deviceId} ${n} ${week}`)!)),
  )
  await tx.query(
    `delete from rollup r using unnest($1::int[], $2::int[], $3::date[]) w (device_id, n, week)
     where r.device_id = w.device_id and r.n = w.n and r.week = w.week and r.week between $4::date and $5::date`,
    at,
  )
  await tx.query(
    `insert into rollup (device_id, n, week, data)
     select w.device_id, w.n, w.week, substring($4::bytea from w.start for w.length)
     from unnest($1::int[], $2::int[], $3::date[], $5::int[], $6::int[]) w (device_id, n, week, start, length)`,
    [...at.slice(0, 3), bytes.all, bytes.starts, bytes.lengths],
  )
  await writeFigures(tx, figures)
}

/** The weeks of a device's series that hold days from `from` to `until`, both counted from 1970, oldest first. */
export async function readWeeks(
  db: Db,
  deviceId: DeviceId,
  wanted: readonly string[] | null,
  from: number,
  until: number,
): Promise<Map<string, { metric: MetricName; instance: string; weeks: Week[] }>> {
  const found = await rows<{ metric: string; instance: string; week: number; data: Buffer }>(
    db,
    // By the primary key (device, series, week): one range for each series.
    `select s.metric, s.instance, (r.week - '1970-01-01'::date) / 7 as week, r.data
     from series s join rollup r on r.device_id = $1 and r.n = s.n and r.week between $3 and $4
     where s.device_id = $1 and ($2::text[] is null or s.metric = any($2)) order by r.n, r.week`,
    [deviceId, wanted, dateOfWeek(weekOf(from)), dateOfWeek(weekOf(until))],
  )
  const series = new Map<string, { metric: MetricName; instance: string; weeks: Week[] }>()
  for (const { metric, instance, week, data } of found) {
    if (!isMetric(metric)) continue
    const key = seriesKey({ metric, instance })
    const into = series.get(key) ?? { metric, instance, weeks: [] }
    into.weeks.push(unpackWeek(week, data))
    series.set(key, into)
  }
  return series
}

/** The hours and days that lie between two times, in part or whole; the second time is not with them. */
export function cutWeeks(weeks: readonly Week[], from: Millis, until: Millis): Week {
  const hours = noHours()
  const days: Week['days'] = new Map()
  for (const week of weeks) {
    week.hours.hour.forEach((index, i) => {
      if ((index + 1) * hour > from && index * hour < until) addHour(hours, week.hours, i)
    })
    for (const [index, sketch] of week.days)
      if ((index + 1) * day > from && index * day < until) days.set(index, sketch)
  }
  return { hours, days }
}
