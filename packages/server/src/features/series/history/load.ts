import { day, type DeviceId, type MetricName, type Millis } from '#core'
import { inTransaction, lockPartitions, makePartitions, rows, type Db, type Pool } from '../../../db'
import {
  dayKey,
  dayOf,
  daysAfterCounters,
  emptyDay,
  packingLock,
  readDays,
  firstFigureDay,
  rollUp,
  seriesKey,
  unionOfDays,
  writeDays,
  type DeviceDay,
} from '../../../store/series'

/** A device may have so many series; an agent cannot tell more of them in a report. */
const mostSeries = 2000

export interface Placed {
  line: number
  deviceId: DeviceId
  at: Millis
  metric: MetricName
  instance: string
  value: number
}
export interface Unplaced {
  line: number
  reason: string
}

/** Days made of readings in any order; of two of one time and series the later line counts. */
function daysOf(readings: readonly Placed[]): DeviceDay[] {
  const days = new Map<
    string,
    { deviceId: DeviceId; day: number; series: Map<string, Map<Millis, number>>; names: Map<string, Placed> }
  >()
  for (const reading of readings) {
    const index = dayOf(reading.at)
    const key = dayKey({ deviceId: reading.deviceId, day: index })
    const into = days.get(key) ?? { deviceId: reading.deviceId, day: index, series: new Map(), names: new Map() }
    days.set(key, into)
    const name = seriesKey(reading)
    into.names.set(name, reading)
    into.series.set(name, (into.series.get(name) ?? new Map<Millis, number>()).set(reading.at, reading.value))
  }
  return [...days.values()].map(({ deviceId, day: index, series, names }) => {
    const times = new Set([...series.values()].flatMap((samples) => [...samples.keys()]))
    return {
      deviceId,
      day: index,
      times: Float64Array.from(times).sort(),
      series: new Map(
        [...series].map(([name, samples]) => {
          const inOrder = [...samples].sort(([a], [b]) => a - b)
          const { metric, instance } = names.get(name)!
          const at = Float64Array.from(inOrder, ([time]) => time)
          const value = Float64Array.from(inOrder, ([, one]) => one)
          return [name, { metric, instance, samples: { at, value } }]
        }),
      ),
    }
  })
}

/** Those of which a device would get more series than it may have. */
async function tooMany(tx: Db, readings: readonly Placed[]): Promise<Set<Placed>> {
  const ids = [...new Set(readings.map(({ deviceId }) => deviceId))]
  const known = new Map<DeviceId, Set<string>>(ids.map((id) => [id, new Set()]))
  for (const { id, metric, instance } of await rows<{ id: DeviceId; metric: MetricName; instance: string }>(
    tx,
    'select device_id as id, metric, instance from series where device_id = any($1)',
    [ids],
  ))
    known.get(id)!.add(seriesKey({ metric, instance }))
  const refused = new Set<Placed>()
  for (const reading of readings) {
    const names = known.get(reading.deviceId)!
    if (names.has(seriesKey(reading))) continue
    if (names.size >= mostSeries) refused.add(reading)
    else names.add(seriesKey(reading))
  }
  return refused
}

/**
 * Adds readings of days that are over to what is packed, all or none of these. What was there already stays: an agent
 * knows better than a file. The same again changes nothing.
 * @returns those that could not be added
 */
export async function addHistory(pool: Pool, readings: readonly Placed[]): Promise<Unplaced[]> {
  return inTransaction(pool, async (tx) => {
    const ids = [...new Set(readings.map(({ deviceId }) => deviceId))].sort((a, b) => a - b)
    // In the order in which a merge locks, too: its devices, then the packing.
    const there = new Set(
      (
        await rows<{ id: DeviceId }>(
          tx,
          'select id from device where id = any($1) and retired_at is null order by id for key share',
          [ids],
        )
      ).map(({ id }) => id),
    )
    await packingLock(tx)
    const here = readings.filter(({ deviceId }) => there.has(deviceId))
    const full = await tooMany(tx, here)
    const fresh = daysOf(here.filter((reading) => !full.has(reading)))
    if (fresh.length) {
      const indexes = fresh.map((each) => each.day)
      await lockPartitions(tx)
      for (const table of ['packed', 'report_day', 'rollup'] as const)
        await makePartitions(tx, table, (Math.min(...indexes) - 7) * day, (Math.max(...indexes) + 1) * day)
      const figuresFrom = Math.max(Math.min(...indexes), firstFigureDay(Date.now()))
      await makePartitions(tx, 'day_figure', figuresFrom * day, (Math.max(...indexes) + 1) * day)
      const known = await readDays(
        tx,
        fresh.map(({ deviceId, day: index }) => ({ deviceId, from: index, until: index })),
      )
      const days = fresh.map((each) => unionOfDays(each, known.get(dayKey(each)) ?? emptyDay(each.deviceId, each.day)))
      await writeDays(tx, days)
      await rollUp(tx, [...days, ...(await daysAfterCounters(tx, days))])
    }
    return [
      ...readings
        .filter(({ deviceId }) => !there.has(deviceId))
        .map(({ line }) => ({ line, reason: 'The device was taken out of use meanwhile.' })),
      ...[...full].map(({ line }) => ({ line, reason: `The device has ${mostSeries} series already.` })),
    ]
  })
}
