import {
  addHour,
  day,
  emptySketch,
  hour,
  hoursOf,
  mergeSketch,
  metrics,
  minute,
  noHours,
  pointsOf,
  pointsOfHours,
  samplesBetween,
  second,
  sketchOf,
  summarise,
  summariseHours,
  type DeviceId,
  type HourSums,
  type Metric,
  type Millis,
  type Point,
  type SeriesLevel,
  type Sketch,
  type Summary,
} from '#core'
import { rows, type Db } from '../../db'
import { dayOf } from './days'
import { packingOf, readReadings, type DeviceReadings, type Packing } from './readings'
import { countedOf, cutWeeks, readWeeks } from './weeks'
import type { SeriesName } from './names'

export interface SeriesAsked {
  deviceId: DeviceId
  /** null: all. */
  metrics: readonly string[] | null
  from: Millis
  /** Not with it. */
  until: Millis
  /** So many at most of each series. */
  points: number
}

export interface SeriesAnswer {
  /** Of a point. */
  width: Millis
  /** What the points were made of. */
  level: SeriesLevel
  series: (SeriesName & { points: Point[]; summary: Summary | null })[]
}

const widths: readonly Millis[] = [
  second,
  10 * second,
  30 * second,
  minute,
  5 * minute,
  15 * minute,
  hour,
  2 * hour,
  6 * hour,
  12 * hour,
  day,
  7 * day,
]

/** The narrowest width that cuts a span into at most so many points. */
export function pointWidth(span: Millis, most: number): Millis {
  return widths.find((width) => span / width <= most) ?? widths.at(-1)!
}

/** What a counter rose by first is known when there is a reading of it within a day before. */
const counterBack = day

/**
 * Series of a device over any time, to the last acknowledged reading: one way for everything that shows or computes
 * with readings. Points that are hours wide or wider come from what became of each hour, as far as days are summed up;
 * all others, and the parts of days at both ends, from readings. Gaps stay gaps; least and greatest are never smoothed
 * away. Of counters the points tell what they rose by.
 *
 * Where single readings are not kept any more, the first and the last hour are told whole.
 */
export async function askSeries(db: Db, asked: SeriesAsked): Promise<SeriesAnswer> {
  const width = pointWidth(asked.until - asked.from, asked.points)
  const packing = (await packingOf(db, [asked.deviceId])).get(asked.deviceId)!
  return width < hour ? fromReadings(db, asked, width, packing) : fromHours(db, asked, width, packing)
}

/**
 * What counts of a device's series from one time to before another: readings, or what counters rose by.
 * @param wanted metrics; null: all
 */
export async function countedReadings(
  db: Db,
  deviceId: DeviceId,
  wanted: readonly string[] | null,
  from: Millis,
  until: Millis,
  packing?: Packing,
): Promise<DeviceReadings> {
  const hasCounters = Object.entries(metrics as Record<string, Metric>).some(
    ([metric, { counter }]) => counter && (wanted?.includes(metric) ?? true),
  )
  const read = await readReadings(db, deviceId, wanted, hasCounters ? from - counterBack : from, until, packing)
  if (!hasCounters) return read
  return new Map(
    [...read].map(([key, { metric, instance, samples }]) => [
      key,
      { metric, instance, samples: samplesBetween(countedOf(metric, samples), from, until) },
    ]),
  )
}

async function fromReadings(db: Db, asked: SeriesAsked, width: Millis, packing: Packing): Promise<SeriesAnswer> {
  const read = await countedReadings(db, asked.deviceId, asked.metrics, asked.from, asked.until, packing)
  return {
    width,
    level: 'readings',
    series: [...read.values()]
      .filter(({ samples }) => samples.at.length > 0)
      .map(({ metric, instance, samples }) => ({
        metric,
        instance,
        points: pointsOf(samples, width),
        summary: summarise(samples.value),
      })),
  }
}

interface Growing extends SeriesName {
  hours: HourSums
  sketch: Sketch
  last: number | null
}

/** Of the days from the first to the last which are summed up whole, and what is left as spans of time. */
function partsOf({ from, until }: SeriesAsked, packing: Packing) {
  const summedTo = packing.until === null ? -Infinity : dayOf(packing.until)
  const parts: { isSummed: boolean; from: Millis; until: Millis }[] = []
  for (let index = dayOf(from); index * day < until; index++) {
    const isWhole = index * day >= from && (index + 1) * day <= until
    const isSummed = isWhole && index < summedTo && !packing.due.has(index)
    const part = { isSummed, from: Math.max(from, index * day), until: Math.min(until, (index + 1) * day) }
    const last = parts.at(-1)
    if (last?.isSummed === isSummed) last.until = part.until
    else parts.push(part)
  }
  return parts
}

async function fromHours(db: Db, asked: SeriesAsked, width: Millis, packing: Packing): Promise<SeriesAnswer> {
  const { deviceId } = asked
  const weeks = await readWeeks(db, deviceId, asked.metrics, dayOf(asked.from), dayOf(asked.until - 1))
  const series = new Map<string, Growing>()
  const into = (key: string, { metric, instance }: SeriesName) => {
    const found = series.get(key) ?? { metric, instance, hours: noHours(), sketch: emptySketch(), last: null }
    series.set(key, found)
    return found
  }
  const addWeeks = (from: Millis, until: Millis) => {
    for (const [key, summed] of weeks) {
      const { hours, days } = cutWeeks(summed.weeks, from, until)
      if (hours.hour.length === 0) continue
      const growing = into(key, summed)
      for (let i = 0; i < hours.hour.length; i++) addHour(growing.hours, hours, i)
      for (const sketch of days.values()) mergeSketch(growing.sketch, sketch)
      growing.last = null
    }
  }
  for (const part of partsOf(asked, packing)) {
    if (part.isSummed) {
      addWeeks(part.from, part.until)
      continue
    }
    const read = await countedReadings(db, deviceId, asked.metrics, part.from, part.until, packing)
    // Of a day whose readings are not kept any more its hours are. One without readings in this part of it is none.
    if (read.size === 0)
      for (const forgotten of await forgottenDays(db, deviceId, part.from, part.until))
        addWeeks(Math.max(part.from, forgotten * day), Math.min(part.until, (forgotten + 1) * day))
    for (const [key, { metric, instance, samples }] of read) {
      if (samples.at.length === 0) continue
      const growing = into(key, { metric, instance })
      const hours = hoursOf(metric, samples)
      for (let i = 0; i < hours.hour.length; i++) addHour(growing.hours, hours, i)
      mergeSketch(growing.sketch, sketchOf(samples.value))
      growing.last = samples.value.at(-1)!
    }
  }
  await findLast(db, asked, series, packing)
  return {
    width,
    level: 'hours',
    series: [...series.values()].map(({ metric, instance, hours, sketch, last }) => ({
      metric,
      instance,
      points: pointsOfHours(metric, hours, width),
      summary: summariseHours(metric, hours, sketch, last),
    })),
  }
}

/** The days that no packed reading of a device is kept of. */
async function forgottenDays(db: Db, deviceId: DeviceId, from: Millis, until: Millis): Promise<number[]> {
  const found = await rows<{ day: number }>(
    db,
    // By the primary key (device, series, day): series 0 is the times.
    `select d.day from generate_series($2::int, $3::int) d (day) where not exists (
       select from packed p where p.device_id = $1 and p.n = 0 and p.day = '1970-01-01'::date + d.day
         and p.day between '1970-01-01'::date + $2::int and '1970-01-01'::date + $3::int)`,
    [deviceId, dayOf(from), dayOf(until - 1)],
  )
  return found.map(({ day: index }) => index)
}

/** Of what is summed up the newest reading is not told: it stands among the readings of its last hour. */
async function findLast(db: Db, asked: SeriesAsked, series: Map<string, Growing>, packing: Packing): Promise<void> {
  const hoursToRead = new Map<number, Growing[]>()
  for (const growing of series.values())
    if (growing.last === null) {
      const last = growing.hours.hour.at(-1)!
      hoursToRead.set(last, [...(hoursToRead.get(last) ?? []), growing])
    }
  for (const [index, wanted] of hoursToRead) {
    const read = await countedReadings(db, asked.deviceId, asked.metrics, index * hour, (index + 1) * hour, packing)
    for (const growing of wanted)
      growing.last =
        [...read.values()]
          .find(({ metric, instance }) => metric === growing.metric && instance === growing.instance)
          ?.samples.value.at(-1) ?? null
  }
}
