import type { ImpactCost } from '#contract'
import {
  collectorOfMetric,
  matchesPattern,
  pacedCollectors,
  paceOf,
  readingsPerDay,
  sameData,
  type DeviceId,
  type LogChannel,
  type Pace,
  type PacedCollector,
  type Roster,
} from '#core'
import { rows, type Db } from '../../db'
import type { DeviceChange } from './deviceChange'
import { entriesKept } from './entriesKept'

type SeriesCounts = Partial<Record<PacedCollector, number>>

/** How many values each collector of a device gives. Not all are in each report, but each once an hour. */
async function seriesOf(db: Db, deviceIds: readonly DeviceId[]): Promise<ReadonlyMap<DeviceId, SeriesCounts>> {
  // The newest reports of each device by the key's order; layouts are few, and each is read once.
  const found = await rows<{ device_id: DeviceId; layout_id: number }>(
    db,
    `
    select distinct d.id as device_id, r.layout_id from unnest($1::int[]) d (id)
    cross join lateral (select layout_id from report where device_id = d.id and at > now() - interval '2 days'
    order by at desc limit 70) r`,
    [deviceIds],
  )
  const layouts = new Map(
    (
      await rows<{ id: number; series: [string, string][] }>(db, 'select id, series from layout where id = any($1)', [
        [...new Set(found.map((row) => row.layout_id))],
      ])
    ).map(({ id, series }) => {
      const counts: SeriesCounts = {}
      for (const [metric] of series) {
        const collector = collectorOfMetric(metric)
        if (collector) counts[collector] = (counts[collector] ?? 0) + 1
      }
      return [id, counts]
    }),
  )
  const most = new Map<DeviceId, SeriesCounts>()
  for (const row of found) {
    const counts = most.get(row.device_id) ?? {}
    for (const [collector, count] of Object.entries(layouts.get(row.layout_id) ?? {}) as [PacedCollector, number][])
      counts[collector] = Math.max(count, counts[collector] ?? 0)
    most.set(row.device_id, counts)
  }
  return most
}

interface NewLog {
  deviceId: DeviceId
  pattern: string
}

/**
 * How many entries a day the newly read logs bring: as many as the same log brings on average where it is read; null
 * where nobody reads it.
 */
async function eventsOf(db: Db, wanted: readonly NewLog[]): Promise<{ events: number | null; logs: string[] }> {
  if (!wanted.length) return { events: 0, logs: [] }
  const there = new Map(
    (
      await rows<{ device_id: DeviceId; value: LogChannel[] }>(
        db,
        `
    select device_id, value from current_fact where device_id = any($1) and subject = 'logs'`,
        [[...new Set(wanted.map((log) => log.deviceId))]],
      )
    ).map((row) => [row.device_id, row.value]),
  )
  const unread = wanted.flatMap(({ deviceId, pattern }) =>
    (there.get(deviceId) ?? [])
      .filter((log) => !log.collected && matchesPattern(pattern, log.name))
      .map((log) => log.name),
  )
  if (!unread.length) return { events: 0, logs: [] }
  const means = new Map(
    (
      await rows<{ channel: string; mean: number }>(
        db,
        `
    select channel, count(*)::float8 / count(distinct device_id) as mean from log_event
    where at > now() - interval '1 day' and channel = any($1) group by channel`,
        [[...new Set(unread)]],
      )
    ).map((row) => [row.channel, row.mean]),
  )
  const logs = [...new Set(unread)].sort()
  return {
    events: unread.every((name) => means.has(name)) ? unread.reduce((sum, name) => sum + means.get(name)!, 0) : null,
    logs,
  }
}

/**
 * What a change costs: readings a day of the devices that read more or less often with it, and entries of logs that it
 * makes them read.
 */
export async function costOf(db: Db, changed: readonly DeviceChange[]): Promise<ImpactCost> {
  if (!changed.length) return { readings: [0, 0], events: 0, logs: [], entries: null }
  const intervals = new Map(
    (
      await rows<{ id: DeviceId; interval_ms: number }>(db, 'select id, interval_ms from device where id = any($1)', [
        changed.map((change) => change.device.id),
      ])
    ).map((row) => [row.id, row.interval_ms]),
  )
  const paces = new Map<Roster, Map<number, Pace>>()
  const paceFor = (roster: Roster, interval: number): Pace => {
    // Many devices share a roster.
    const known = paces.get(roster) ?? new Map<number, Pace>()
    paces.set(roster, known)
    const pace = known.get(interval) ?? paceOf(roster, interval)
    known.set(interval, pace)
    return pace
  }
  const moved = changed.map((change) => ({
    id: change.device.id,
    before: paceFor(change.before, intervals.get(change.device.id) ?? 60_000),
    after: paceFor(change.after, intervals.get(change.device.id) ?? 60_000),
  }))
  // Most changes leave the pace alone; then there is nothing to look up.
  const paced = moved.filter(
    (device) =>
      pacedCollectors.some((collector) => device.before.every[collector] !== device.after.every[collector]) ||
      device.before.processes.length !== device.after.processes.length ||
      device.before.files.length !== device.after.files.length ||
      !sameData(device.before.counters, device.after.counters),
  )
  const series = await seriesOf(
    db,
    paced.map((device) => device.id),
  )
  const sum = (of: 'before' | 'after') =>
    Math.round(paced.reduce((total, device) => total + readingsPerDay(device[of], series.get(device.id) ?? {}), 0))
  const added = moved.flatMap(({ id, before, after }) =>
    after.logs.filter((log) => !before.logs.includes(log)).map((pattern) => ({ deviceId: id, pattern })),
  )
  const entries = await entriesKept(db, changed)
  return { readings: [sum('before'), sum('after')], ...(await eventsOf(db, added)), entries }
}
