import { noSamples, targets, type DeviceTraits, type Millis, type Target, type Updates } from '#core'
import { rows, time, type Db } from '../../db'
import { readReadings } from '../../store/series'
import { occurrenceEnd, windowOfOccurrence } from '../../store/windows'

export interface WindowThen {
  id: number
  name: string
  from: Millis
  /** null: it has no end. */
  until: Millis | null
}
export const mostWindows = 500

/** Times of windows between two times that reach a device by what it is today; the earliest so many. */
export async function windowsBetween(db: Db, device: DeviceTraits, from: Millis, until: Millis): Promise<WindowThen[]> {
  const found = await rows<WindowThen & { target: Target }>(
    db,
    `
    select w.id, w.name, w.target, o.from_at as from, least(o.until_at, o.ended_at) as until
    from window_occurrence o ${windowOfOccurrence}
    where (w.client_id is null or w.client_id = $1) and o.from_at < $3 and ${occurrenceEnd} > $2
      and o.from_at <= coalesce(o.ended_at, 'infinity')
    order by o.from_at limit ${mostWindows}`,
    [device.clientId, time(from), time(until)],
  )
  return found.flatMap(({ target, ...window }) => (targets(target, device) ? [window] : []))
}

/** It is up for less than it was: it was restarted, at most one report before. When it came up. */
export async function restartsBetween(db: Db, deviceId: number, from: Millis, until: Millis): Promise<Millis[]> {
  const read = await readReadings(db, deviceId, ['uptime'], from, until + 1)
  const { at, value } = read.get('uptime|')?.samples ?? noSamples
  const begins: Millis[] = []
  for (let i = 1; i < at.length; i++) if (value[i]! < value[i - 1]!) begins.push(at[i]! - value[i]! * 1000)
  return begins
}

/** Updates that waited in one report and not in the next; by the primary key (device, subject, at). */
export async function updatesBetween(
  db: Db,
  deviceId: number | null,
  from: Millis,
  until: Millis,
): Promise<{ at: Millis; names: string[] }[]> {
  const found = await rows<{ at: Millis; value: Updates }>(
    db,
    `
    (select at, value from device_fact where device_id = $1 and subject = 'updates' and at < $2 order by at desc limit 1)
    union all
    (select at, value from device_fact where device_id = $1 and subject = 'updates' and at between $2 and $3
     order by at limit 100)`,
    [deviceId, time(from), time(until)],
  )
  return found.slice(1).flatMap(({ at, value }, i) => {
    const waiting = new Set(value.names)
    const was = found[i]!.value
    const names = was.names.filter((name) => !waiting.has(name))
    // Of a list that is cut what follows is not known to be gone.
    const isFewer = value.security + value.other < was.security + was.other
    return names.length && isFewer ? [{ at, names: names.slice(0, 12) }] : []
  })
}
