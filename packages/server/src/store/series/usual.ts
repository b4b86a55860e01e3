import {
  day,
  daysOfUsual,
  hoursOfWeek,
  hoursToLearn,
  isMetric,
  learnUsual,
  leastDistance,
  nothingUsual,
  unusualKindOf,
  usualKey,
  type DeviceId,
  type LeftOut,
  type MetricName,
  type Millis,
  type Observed,
  type Usual,
} from '#core'
import { rows, time, type Db } from '../../db'
import { cutWeeks, readWeeks } from './weeks'

/** What is usual for series of a device, by `usualKey`. */
export type UsualOfSeries = NonNullable<Observed['usual']>

interface Told extends LeftOut {
  instance: string
}

/** When somebody was told, before a time, that series of a metric are not as usual. */
async function toldOf(db: Db, deviceId: DeviceId, metric: MetricName, before: Millis): Promise<Told[]> {
  const kind = unusualKindOf(metric)
  if (!kind) return []
  return rows<Told>(
    db,
    // By the index of alerts of a device.
    `select instance, began as from, least(coalesce(closed_at, $4), $4) as until from alert
     where device_id = $1 and rule->>'kind' = $2 and began < $4 and coalesce(closed_at, $4) > $3`,
    [deviceId, kind.name, time(before - daysOfUsual * day), time(before)],
  )
}

async function anewOf(db: Db, deviceId: DeviceId, before: Millis): Promise<Map<string, Millis>> {
  const found = await rows<{ metric: MetricName; instance: string; at: Millis }>(
    db,
    'select metric, instance, at from usual_anew where device_id = $1 and at < $2',
    [deviceId, time(before)],
  )
  return new Map(found.map(({ metric, instance, at }) => [usualKey(metric, instance), at]))
}

/**
 * What is usual for series of a device, learned of the whole days before a time, of what became of their hours. By the
 * primary key (device, series, week) of `rollup`: seven rows for each series.
 */
export async function learnSeries(
  db: Db,
  deviceId: DeviceId,
  metrics: readonly MetricName[],
  zone: string,
  before: Millis,
): Promise<Map<string, Usual>> {
  const found = new Map<string, Usual>()
  if (!metrics.length) return found
  const today = Math.floor(before / day)
  const series = await readWeeks(db, deviceId, metrics, today - daysOfUsual, today - 1)
  const anew = await anewOf(db, deviceId, before)
  const told = new Map<MetricName, Told[]>()
  for (const metric of metrics) told.set(metric, await toldOf(db, deviceId, metric, before))
  for (const { metric, instance, weeks } of series.values()) {
    const key = usualKey(metric, instance)
    const { hours } = cutWeeks(weeks, (today - daysOfUsual) * day, today * day)
    // Each takes some milliseconds, and there may be many: others are served between.
    await new Promise((resolve) => setImmediate(resolve))
    const usual = learnUsual(hoursToLearn(metric, hours), zone, {
      least: leastDistance(metric),
      leftOut: told.get(metric)!.filter((each) => each.instance === instance),
      anew: anew.get(key) ?? null,
    })
    const began = anew.get(key)
    if (usual) found.set(key, usual)
    else if (began !== undefined) found.set(key, nothingUsual(zone, began))
  }
  return found
}

const floatBytes = 4

function shapeOf({ middle, spread }: Usual): Buffer {
  const bytes = Buffer.alloc(2 * hoursOfWeek * floatBytes)
  middle.forEach((value, i) => bytes.writeFloatLE(value, i * floatBytes))
  spread.forEach((value, i) => bytes.writeFloatLE(value, (hoursOfWeek + i) * floatBytes))
  return bytes
}

const floatsOf = (bytes: Buffer, first: number): Float32Array =>
  Float32Array.from({ length: hoursOfWeek }, (_, i) => bytes.readFloatLE((first + i) * floatBytes))

interface UsualRow {
  id: DeviceId
  metric: string
  instance: string
  zone: string
  from: Millis
  until: Millis
  days: number
  odd: Millis[]
  anew: Millis | null
  shape: Buffer
}

/** Puts what is usual for series of a device in place of what was known of it. */
export async function writeUsual(tx: Db, deviceId: DeviceId, usual: ReadonlyMap<string, Usual>): Promise<void> {
  await tx.query(`delete from usual where device_id = $1 and not metric || '|' || instance = any($2)`, [
    deviceId,
    [...usual.keys()],
  ])
  for (const [key, one] of usual) {
    const cut = key.indexOf('|')
    await tx.query(
      `insert into usual (device_id, metric, instance, zone, from_at, until_at, days, odd_days, began_anew, shape)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
       on conflict (device_id, metric, instance) do update set zone = excluded.zone, from_at = excluded.from_at,
         until_at = excluded.until_at, days = excluded.days, odd_days = excluded.odd_days,
         began_anew = excluded.began_anew, shape = excluded.shape`,
      [
        deviceId,
        key.slice(0, cut),
        key.slice(cut + 1),
        one.zone,
        time(one.from),
        time(one.until),
        one.days,
        one.oddDays.map((at) => time(at)),
        time(one.beganAnew),
        shapeOf(one),
      ],
    )
  }
}

/** What was learned last of some devices. By the primary key: some series for each. */
export async function readUsual(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, UsualOfSeries>> {
  const found = await rows<UsualRow>(
    db,
    `select device_id as id, metric, instance, zone, from_at as from, until_at as until, days,
       array(select (extract(epoch from d) * 1000)::float8 from unnest(odd_days) d) as odd, began_anew as anew, shape
     from usual where device_id = any($1)`,
    [deviceIds],
  )
  const all = new Map<DeviceId, Map<string, Usual>>()
  for (const { id, metric, instance, odd, anew, shape, ...row } of found) {
    if (!isMetric(metric)) continue
    const of = all.get(id) ?? new Map<string, Usual>()
    of.set(usualKey(metric, instance), {
      zone: row.zone,
      from: row.from,
      until: row.until,
      days: row.days,
      oddDays: odd,
      beganAnew: anew,
      middle: floatsOf(shape, 0),
      spread: floatsOf(shape, hoursOfWeek),
    })
    all.set(id, of)
  }
  return all
}
