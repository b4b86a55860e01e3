import type { UsualAnew, UsualPage, UsualTried, UsualWatch } from '#contract'
import {
  chosen,
  day,
  daysOfUsual,
  daysToGo,
  hoursToLearn,
  learnUsual,
  leastDistance,
  minute,
  noHours,
  noSamples,
  pointsOf,
  spacing,
  triedUnusual,
  unusualAsked,
  unusualKindOf,
  usualKey,
  type MetricName,
  type Millis,
  type Roster,
  type Samples,
  type Usual,
  type Values,
} from '#core'
import { firstRow, time, type Db } from '../../db'
import { bumpVersions } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { deviceAt } from '../../store/deviceAt'
import type { PolicyInForce } from '../../store/policy'
import { countedReadings, cutWeeks, learnSeries, readWeeks, seriesKey } from '../../store/series'
import { factsOf, traitsOf } from '../../store/traits'
import { audit, type Viewer } from '../access'
import { requireDevice } from '../estate'

export interface UsualAskedFor {
  deviceId: number
  metric: MetricName
  instance: string
  now: Millis
}

const triedFor: Millis = 14 * day
const triedEach: Millis = 5 * minute
const sensitivities = ['low', 'medium', 'high'] as const

/** Watches in force that judge the series, with their values. */
function judgesOf(
  roster: Roster,
  { metric, instance }: UsualAskedFor,
): { key: string; name: string; values: Values }[] {
  const kind = unusualKindOf(metric)
  if (!kind) return []
  const { choosing } = kind
  return roster.filter(({ standing, kind: name, values }) => {
    if (standing !== 'active' || name !== kind.name) return false
    const names = (of: string | undefined) => (of === undefined ? [] : ((values[of] as readonly string[] | null) ?? []))
    return !choosing || chosen(names(choosing.include), names(choosing.except), instance)
  })
}

/** What watches would have told in the last two weeks, at each sensitivity, by what was known on each of these days. */
async function triedOf(
  db: Db,
  { deviceId, metric, instance, now }: UsualAskedFor,
  zone: string,
  values: Values,
): Promise<UsualTried[]> {
  const from = now - triedFor
  const read = await countedReadings(db, deviceId, [metric], from, now)
  const all = read.get(seriesKey({ metric, instance }))?.samples ?? noSamples
  // Nothing is judged over less; one each minute would take five times as long.
  const points = pointsOf(all, triedEach)
  const samples: Samples = {
    at: Float64Array.from(points, ({ at }) => at),
    value: Float64Array.from(points, ({ mean }) => mean),
  }
  const [first, today] = [Math.floor(from / day), Math.floor(now / day)]
  const weeks = await readWeeks(db, deviceId, [metric], first - daysOfUsual, today)
  const series = weeks.get(seriesKey({ metric, instance }))
  const onDay = new Map<number, Usual | null>()
  for (let index = first; index <= today; index++) {
    // Each takes some milliseconds: others are served between.
    await new Promise((resolve) => setImmediate(resolve))
    const { hours } = series ? cutWeeks(series.weeks, (index - daysOfUsual) * day, index * day) : { hours: noHours() }
    onDay.set(index, learnUsual(hoursToLearn(metric, hours), zone, { least: leastDistance(metric) }))
  }
  const tried: UsualTried[] = []
  for (const sensitivity of sensitivities) {
    await new Promise((resolve) => setImmediate(resolve))
    const told = triedUnusual(
      { metric, instance, samples },
      { values: { ...values, sensitivity }, interval: spacing(samples.at) ?? day, zone },
      (at) => onDay.get(Math.floor(at / day)) ?? null,
    )
    tried.push({
      sensitivity,
      told: told.map((one) => ({ from: one.from, until: one.until === Infinity ? null : one.until })),
    })
  }
  return tried
}

/** What is usual for a series hour by hour of the week, who judges by it, and what would have been told of late. */
export async function readUsualPage(
  db: Db,
  { compiled }: Pick<PolicyInForce, 'compiled'>,
  asked: UsualAskedFor,
): Promise<UsualPage> {
  const { deviceId, metric, instance, now } = asked
  const device = (await deviceAt(db, deviceId, now))!
  const { zone } = device
  const facts = (await factsOf(db, ['system'], [deviceId])).get(deviceId) ?? {}
  const judges = judgesOf(compiled.roster(traitsOf(device, facts)), asked)
  const usual = (await learnSeries(db, deviceId, [metric], zone, now)).get(usualKey(metric, instance))
  const kind = unusualKindOf(metric)
  const values: Values = {
    ...Object.fromEntries((kind?.parameters ?? []).map(({ name, default: value }) => [name, value])),
    ...judges[0]?.values,
  }
  const said = await firstRow<{ name: string | null }>(
    db,
    `select p.name from usual_anew a left join person p on p.id = a.by_id
     where a.device_id = $1 and a.metric = $2 and a.instance = $3 and a.at < $4`,
    [deviceId, metric, instance, time(now)],
  )
  return {
    zone,
    from: usual?.from ?? null,
    until: usual?.until ?? null,
    days: usual?.days ?? 0,
    oddDays: usual?.oddDays ?? [],
    beganAnew: usual?.beganAnew ?? null,
    anewBy: said ? (said.name ?? 'somebody') : null,
    cells: usual ? cellsOf(usual) : [],
    watches: judges.map((judge): UsualWatch => {
      const watched = unusualAsked(judge.values)
      return {
        key: judge.key,
        name: judge.name,
        asked: watched,
        toGo: daysToGo(usual ?? { days: 0 }, watched.training),
      }
    }),
    tried: kind ? await triedOf(db, asked, zone, values) : [],
    triedFrom: now - triedFor,
    asked: kind ? unusualAsked(values) : null,
  }
}

const cellsOf = ({ middle, spread }: Usual): UsualPage['cells'] =>
  [...middle].flatMap((value, cell) => (Number.isNaN(value) ? [] : [{ cell, middle: value, spread: spread[cell]! }]))

/**
 * Has a series learned anew from now on, as after a move to other work; or takes that back.
 * @throws ProblemError no-such-device, invalid
 */
export async function setAnew(
  tx: Db,
  viewer: Viewer,
  deviceId: number,
  { metric, instance, anew }: Omit<UsualAnew, 'metric'> & { metric: MetricName },
): Promise<void> {
  // Devices first, as everybody does who writes of them; and it belongs to nobody else from here on.
  await bumpVersions(tx, [deviceId])
  const device = await requireDevice(tx, viewer, deviceId)
  if (!unusualKindOf(metric))
    throw new ProblemError('invalid', 'No watch judges this by what is usual.', [
      { at: 'metric', message: 'not judged by what is usual' },
    ])
  // What was learned before says nothing any more, until the next round of learning.
  await tx.query('delete from usual where device_id = $1 and metric = $2 and instance = $3', [
    deviceId,
    metric,
    instance,
  ])
  if (anew) {
    const { rowCount } = await tx.query(
      `insert into usual_anew (device_id, metric, instance, at, by_id)
       select $1, metric, instance, now(), $4 from series where device_id = $1 and metric = $2 and instance = $3
       on conflict (device_id, metric, instance) do update set at = excluded.at, by_id = excluded.by_id`,
      [deviceId, metric, instance, viewer.id],
    )
    if (!rowCount)
      throw new ProblemError('invalid', 'The device has no such series, or none that is a day old.', [
        { at: 'instance', message: 'no such series' },
      ])
  } else
    await tx.query('delete from usual_anew where device_id = $1 and metric = $2 and instance = $3', [
      deviceId,
      metric,
      instance,
    ])
  await audit(tx, {
    personId: viewer.id,
    action: anew ? 'had learned anew a series of' : 'had learned as before a series of',
    kind: 'device',
    id: deviceId,
    clientId: device.client_id,
    detail: { metric, instance },
  })
  announce(tx, { topic: 'reports', clientIds: [device.client_id], deviceIds: [deviceId] })
}
