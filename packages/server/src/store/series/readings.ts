import { day, joined, noSamples, samplesBetween, union, type DeviceId, type Millis, type Samples } from '#core'
import { rows, type Db } from '../../db'
import { dayKey, dayOf, readDays, type DeviceDay } from './days'
import { type SeriesName } from './names'
import { readReports, type ReportSpan } from './reports'

/** Up to where the packed readings of devices are whole, and of which days they are not. */
export interface Packing {
  /** null: nothing is packed. */
  until: Millis | null
  due: ReadonlySet<number>
}

export async function packingOf(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, Packing>> {
  const found = await rows<{ id: DeviceId; until: Millis | null; due: number[] }>(
    db,
    `select d.id, p.until, array(select distinct u.day - '1970-01-01'::date from pack_due u where u.device_id = d.id) as due
     from unnest($1::int[]) d (id) left join packed_to p on p.device_id = d.id`,
    [deviceIds],
  )
  return new Map(found.map(({ id, until, due }) => [id, { until, due: new Set(due) }]))
}

/** Which of a device's reports between two times have to be read as they came. */
export function unpackedSpans(deviceId: DeviceId, { until, due }: Packing, from: Millis, end: Millis): ReportSpan[] {
  const spans: ReportSpan[] = []
  const packedTo = Math.min(end, Math.max(from, until ?? from))
  for (const index of [...due].sort((a, b) => a - b)) {
    const span = { deviceId, from: Math.max(from, index * day), until: Math.min(packedTo, (index + 1) * day) }
    if (span.from < span.until) spans.push(span)
  }
  if (packedTo < end) spans.push({ deviceId, from: packedTo, until: end })
  return spans
}

const unionOf = (name: string, ...days: readonly (DeviceDay | undefined)[]) =>
  days.reduce((all, each) => union(all, each?.series.get(name)?.samples ?? noSamples), noSamples)

export type DeviceReadings = Map<string, SeriesName & { samples: Samples }>

/**
 * The readings of a device from one time to before another, to the last one that is acknowledged: packed ones, those of
 * days into which something came since, and those that nobody has packed yet. By their keys; a series without readings
 * in that time is left out.
 * @param metrics null: all
 */
export async function readReadings(
  db: Db,
  deviceId: DeviceId,
  metrics: readonly string[] | null,
  from: Millis,
  until: Millis,
  packing?: Packing,
): Promise<DeviceReadings> {
  if (from >= until) return new Map()
  // What is packed between these looks is read twice, and is the same; the other way round it would be missed.
  const state = packing ?? (await packingOf(db, [deviceId])).get(deviceId)!
  const spans = unpackedSpans(deviceId, state, from, until)
  const packed = await readDays(db, [{ deviceId, from: dayOf(from), until: dayOf(until - 1) }], metrics)
  const raw = await readReports(db, spans)
  const pieces = new Map<string, SeriesName & { pieces: Samples[] }>()
  const last = Math.floor((until - 1) / day)
  for (let index = dayOf(from); index <= last; index++) {
    const key = dayKey({ deviceId, day: index })
    const names = new Set([...(packed.get(key)?.series.keys() ?? []), ...(raw.get(key)?.series.keys() ?? [])])
    for (const name of names) {
      const found = (packed.get(key)?.series.get(name) ?? raw.get(key)?.series.get(name))!
      if (metrics && !metrics.includes(found.metric)) continue
      const samples = samplesBetween(unionOf(name, packed.get(key), raw.get(key)), from, until)
      if (samples.at.length === 0) continue
      const into = pieces.get(name) ?? { metric: found.metric, instance: found.instance, pieces: [] }
      into.pieces.push(samples)
      pieces.set(name, into)
    }
  }
  return new Map(
    [...pieces].map(([name, { metric, instance, pieces: parts }]) => [
      name,
      { metric, instance, samples: joined(parts) },
    ]),
  )
}
