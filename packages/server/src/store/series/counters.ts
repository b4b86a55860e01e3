import { metrics, type DeviceId, type Metric } from '#core'
import { rows, type Db } from '../../db'
import { dateOf, dayKey, readDays, type DeviceDay } from './days'
import { seriesKey, type SeriesName } from './names'

const counters = Object.entries(metrics as Record<string, Metric>)
  .filter(([, { counter }]) => counter)
  .map(([metric]) => metric)

interface Neighbour extends SeriesName {
  device_id: DeviceId
  day: number
  neighbour: number
}

/**
 * Of each counter on each day whether the day before it, or after it, has readings of it; by the primary key (device,
 * series, day).
 */
function neighboursOf(db: Db, days: readonly DeviceDay[], side: 'before' | 'after'): Promise<Neighbour[]> {
  const wanted = days.flatMap(({ deviceId, day, series }) =>
    [...series.values()].filter(({ metric }) => counters.includes(metric)).map((name) => ({ deviceId, day, ...name })),
  )
  const step = side === 'before' ? -1 : 1
  const indexes = wanted.map(({ day }) => day + step).sort((a, b) => a - b)
  return rows<Neighbour>(
    db,
    `select w.device_id, w.metric, w.instance, w.day - '1970-01-01'::date as day, p.day - '1970-01-01'::date as neighbour
     from unnest($1::int[], $2::text[], $3::text[], $4::date[]) w (device_id, metric, instance, day)
     join series s on s.device_id = w.device_id and s.metric = w.metric and s.instance = w.instance
     join packed p on p.device_id = s.device_id and p.n = s.n and p.day = w.day + $5::int
       and p.day between $6::date and $7::date`,
    [
      wanted.map(({ deviceId }) => deviceId),
      wanted.map(({ metric }) => metric),
      wanted.map(({ instance }) => instance),
      wanted.map(({ day }) => dateOf(day)),
      step,
      dateOf(indexes[0]!),
      dateOf(indexes.at(-1)!),
    ],
  )
}

const hasCounters = (days: readonly DeviceDay[]) =>
  days.some(({ series }) => [...series.values()].some(({ metric }) => counters.includes(metric)))

/**
 * The last reading of a counter on the day before: without it nobody knows what it rose by first, and what it rose by
 * over longer is of no hour.
 */
export async function countersBefore(
  db: Db,
  days: readonly DeviceDay[],
): Promise<(deviceId: DeviceId, key: string, day: number) => number | undefined> {
  if (!hasCounters(days)) return () => undefined
  const found = await neighboursOf(db, days, 'before')
  const packed = await readDays(
    db,
    found.map(({ device_id: deviceId, neighbour }) => ({ deviceId, from: neighbour, until: neighbour })),
    counters,
  )
  const last = new Map(
    found.map(({ device_id: deviceId, day, neighbour, metric, instance }) => {
      const key = seriesKey({ metric, instance })
      const samples = packed.get(dayKey({ deviceId, day: neighbour }))?.series.get(key)?.samples
      return [`${dayKey({ deviceId, day })} ${key}`, samples?.value.at(-1)]
    }),
  )
  return (deviceId, key, day) => last.get(`${dayKey({ deviceId, day })} ${key}`)
}

/** The days that follow these, as far as they have counters: what those rose by first hangs on the day before. */
export async function daysAfterCounters(db: Db, days: readonly DeviceDay[]): Promise<DeviceDay[]> {
  if (!hasCounters(days)) return []
  const known = new Set(days.map(dayKey))
  const found = (await neighboursOf(db, days, 'after')).filter(
    ({ device_id: deviceId, neighbour }) => !known.has(dayKey({ deviceId, day: neighbour })),
  )
  const followers = await readDays(
    db,
    [...new Map(found.map((each) => [`${each.device_id} ${each.neighbour}`, each])).values()].map(
      ({ device_id: deviceId, neighbour }) => ({ deviceId, from: neighbour, until: neighbour }),
    ),
    counters,
  )
  return [...followers.values()]
}
