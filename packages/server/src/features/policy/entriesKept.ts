import { isKept, isWithinFloors, keepingOf, logLevels, type LogKeeping } from '#core'
import { rows, type Db } from '../../db'
import { factsOf } from '../../store/traits'
import type { DeviceChange } from './deviceChange'

const same = (a: LogKeeping | null, b: LogKeeping | null) => JSON.stringify(a) === JSON.stringify(b)

interface Moved {
  deviceIds: number[]
  before: LogKeeping | null
  after: LogKeeping | null
}

/** Devices for which other entries are kept than before, those together that share it. */
function movedBy(changed: readonly DeviceChange[]): Moved[] {
  const moved = new Map<string, Moved>()
  for (const change of changed) {
    const [before, after] = [keepingOf(change.before), keepingOf(change.after)]
    if (same(before, after)) continue
    const key = JSON.stringify([before, after])
    const known = moved.get(key) ?? { deviceIds: [], before, after }
    moved.set(key, known)
    known.deviceIds.push(change.device.id)
  }
  return [...moved.values()]
}

/** Whether something is kept from now on of which nobody knows how much it is, because it was not kept. */
function isLoosened({ before, after }: Moved, channels: readonly string[]): boolean {
  if (!before) return false
  return channels.some((channel) =>
    logLevels.some(
      (level) =>
        !isWithinFloors(before.floors, { channel, level }) &&
        (after === null || isWithinFloors(after.floors, { channel, level })),
    ),
  )
}

interface Counted {
  group: number
  channel: string
  source: string
  event_id: number | null
  level: number
  text: string
  entries: number
}

/** By the key (device, at); of each shape once. */
const written = `
  select c.*, s.channel, s.source, s.event_id, s.level, s.text from (
    select d."group", e.shape, count(*)::int as entries
    from unnest($1::int[], $2::int[]) d (id, "group")
    join log_event e on e.device_id = d.id and e.at > now() - interval '1 day' group by 1, 2
  ) c join log_shape s on s.id = c.shape`

/**
 * How many entries of their logs the devices that a change touches have written in a day, and how many of these would
 * be kept with it; words with numbers are looked for in texts without them, so that it is *about* so many.
 * @returns null: the change keeps the same entries; after null: it keeps more, of which nobody knows how many there are
 */
export async function entriesKept(
  db: Db,
  changed: readonly DeviceChange[],
): Promise<[before: number, after: number | null] | null> {
  const moved = movedBy(changed)
  if (!moved.length) return null
  const ids = moved.flatMap(({ deviceIds }) => deviceIds)
  const found = await rows<Counted>(db, written, [
    ids,
    moved.flatMap(({ deviceIds }, group) => deviceIds.map(() => group)),
  ])
  const facts = await factsOf(db, ['logs'], ids)
  const channelsOf = ({ deviceIds }: Moved) => [
    ...new Set(deviceIds.flatMap((id) => (facts.get(id)?.logs ?? []).map(({ name }) => name))),
  ]
  let [before, after] = [0, 0]
  for (const { group, entries, event_id: id, level, ...said } of found) {
    before += entries
    if (isKept(moved[group]!.after, { ...said, at: 0, id, level: logLevels[level]! })) after += entries
  }
  return [before, moved.some((each) => isLoosened(each, channelsOf(each))) ? null : after]
}
