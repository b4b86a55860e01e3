import type { LogThen, RhythmHours, RhythmPage, SeriesThen } from '#contract'
import {
  atThatTime,
  logLevels,
  metrics,
  noSamples,
  rhythmOf,
  day,
  type Metric,
  type MetricName,
  type Millis,
  type RhythmMoment,
} from '#core'
import { rows, time, type Db } from '../../db'
import { deviceAt } from '../../store/deviceAt'
import { countedReadings } from '../../store/series'
import { factsOf, traitsOf } from '../../store/traits'
import { windowsBetween } from './happened'

export interface RhythmAsked {
  deviceId: number
  metric: MetricName
  instance: string
  weeks: number
  now: Millis
}

/** Which way is worse. */
export const worseOf = (metric: MetricName): 1 | -1 => ((metrics[metric] as Metric).scarce ? -1 : 1)

const spanOf = ({ weeks, now }: RhythmAsked) => ({ from: now - weeks * 7 * day, until: now })

/** @param beyond the value above which, or of what is scarce below which, each hour is to say its share; null: none */
export async function readRhythm(db: Db, asked: RhythmAsked, beyond: number | null): Promise<RhythmPage> {
  const { deviceId, metric, instance, now } = asked
  const { from, until } = spanOf(asked)
  const zone = (await deviceAt(db, deviceId, now))!.zone
  const read = await countedReadings(db, deviceId, [metric], from, until)
  const samples = read.get(`${metric}|${instance}`)?.samples ?? noSamples
  const sign = worseOf(metric)
  return { zone, from, until, isScarce: sign === -1, beyond, ...rhythmOf(samples, zone, sign, beyond) }
}

/** So far from what is usual it is worth a look. */
const farEnough = 3
const mostSeries = 12
const mostSources = 20

/**
 * What else was so in certain hours of the week: how each series was there against the same hours of other days, the
 * farthest first; which sources wrote more than their share into the log; which windows were in force.
 * @param first the first hour of the week
 * @param last the hour of the week that is not with them any more
 */
export async function readRhythmHours(db: Db, asked: RhythmAsked, first: number, last: number): Promise<RhythmHours> {
  const { deviceId, metric, instance, now } = asked
  const { from, until } = spanOf(asked)
  const device = (await deviceAt(db, deviceId, now))!
  const read = await countedReadings(db, deviceId, null, from, until)
  const isThere = ({ cell }: RhythmMoment) => cell >= first && cell < last
  const series: SeriesThen[] = []
  let moments: RhythmMoment[] = []
  for (const { metric: other, instance: of, samples } of read.values()) {
    // Of half a year this is a moment for each: others are served between.
    await new Promise((resolve) => setImmediate(resolve))
    const rhythm = rhythmOf(samples, device.zone, worseOf(other), null)
    if (other === metric && of === instance) moments = rhythm.moments.filter(isThere)
    const then = atThatTime(rhythm.moments, isThere, metrics[other].resolution)
    if (then && Math.abs(then.times) >= farEnough) series.push({ metric: other, instance: of, ...then })
  }
  const isAsked = (one: SeriesThen) => one.metric === metric && one.instance === instance
  series.sort((a, b) => Number(isAsked(b)) - Number(isAsked(a)) || Math.abs(b.times) - Math.abs(a.times))
  const facts = (await factsOf(db, ['system'], [deviceId])).get(deviceId) ?? {}
  const windows = await windowsBetween(db, traitsOf(device, facts), from, until)
  const spans = wholeMoments(moments)
  return {
    moments: spans,
    series: series.slice(0, mostSeries),
    log: await sourcesThen(db, deviceId, from, until, spans),
    windows: windows.filter((window) =>
      spans.some((span) => window.from <= span.until && (window.until ?? Infinity) >= span.from),
    ),
  }
}

/** The hours of one day together. */
function wholeMoments(moments: readonly RhythmMoment[]): RhythmHours['moments'] {
  const spans: (RhythmHours['moments'][number] & { count: number; cell: number; week: number })[] = []
  for (const { cell, week, from, until, count, min, mean, max } of moments) {
    const last = spans.at(-1)
    if (last?.week !== week || last.cell !== cell - 1) {
      spans.push({ cell, week, from, until, count, min, mean, max })
      continue
    }
    last.mean = (last.mean * last.count + mean * count) / (last.count + count)
    Object.assign(last, { cell, until, count: last.count + count })
    last.min = Math.min(last.min, min)
    last.max = Math.max(last.max, max)
  }
  return spans.map(({ from, until, min, mean, max }) => ({ from, until, min, mean, max }))
}

/** Sources that wrote there at least twice as much as their share of the time, the most concentrated first. */
async function sourcesThen(
  db: Db,
  deviceId: number,
  from: Millis,
  until: Millis,
  spans: RhythmHours['moments'],
): Promise<LogThen[]> {
  if (!spans.length) return []
  const share = spans.reduce((sum, span) => sum + span.until - span.from, 0) / (until - from)
  const found = await rows<Omit<LogThen, 'level'> & { level: number }>(
    db,
    // By the primary key (device, at), once.
    `
    select e.source, min(e.level) as level, count(s.n)::int as there, count(distinct s.n)::int as moments,
      count(*)::int as total, max(e.at) filter (where s.n is not null) as at,
      (array_agg(e.text order by e.at desc) filter (where s.n is not null))[1] as text
    from log_event e
    left join unnest($4::timestamptz[], $5::timestamptz[]) with ordinality s (begins, ends, n)
      on e.at >= s.begins and e.at < s.ends
    where e.device_id = $1 and e.at >= $2 and e.at < $3
    group by e.source having count(s.n) > 0 and count(s.n) >= 2 * $6::float8 * count(*)
    order by count(distinct s.n) desc, count(s.n)::float8 / count(*) desc, count(s.n) desc limit ${mostSources}`,
    [
      deviceId,
      time(from),
      time(until),
      spans.map((span) => time(span.from)),
      spans.map((span) => time(span.until)),
      share,
    ],
  )
  return found.map((row) => ({ ...row, level: logLevels[row.level] ?? 'informational' }))
}
