import type { LevelStep, MarkedAlert, SeriesMarks } from '#contract'
import { day, watchKind, watchKinds, type MetricName, type Millis, type Observed, type Roster } from '#core'
import { rows, time, type Db } from '../../db'
import { deviceAt } from '../../store/deviceAt'
import { policyAsOf } from '../../store/policy'
import { readReadings } from '../../store/series'
import { factsOf, traitsOf } from '../../store/traits'
import { ofClients, type Viewer } from '../access'
import { restartsBetween, updatesBetween, windowsBetween } from './happened'

export interface MarksAsked {
  deviceId: number
  metric: MetricName
  instance: string
  from: Millis
  until: Millis
}

/** Each costs a reading of the whole policy as it was. */
const mostChanges = 40
const mostAlerts = 200

/**
 * From when on readings were judged by what was in force at these times: those that came in later by what was in force
 * then, so that a change can reach back. When reports came in is known of those that are kept as they came.
 */
async function reachingBack(db: Db, { deviceId, from, until }: MarksAsked, times: readonly Millis[]) {
  const late = await rows<{ at: Millis; received: Millis }>(
    db,
    // By the primary key (device, at): those of one batch came in at one time.
    `select min(at) as at, received_at as received from report
     where device_id = $1 and at >= $2 and at < $3 and late group by received_at order by received_at desc`,
    [deviceId, time(from), time(until)],
  )
  // From the newest change back: the first reading of all that came in since then.
  let [i, first] = [0, Infinity]
  return times
    .toReversed()
    .map((at) => {
      for (; i < late.length && late[i]!.received >= at; i++) first = Math.min(first, late[i]!.at)
      return { at, start: Math.max(from, Math.min(at, first)) }
    })
    .reverse()
}

interface Change {
  /** As of when what was watched is to be read. */
  at: Millis
  /** From when on readings were judged by that. */
  start: Millis
}

/** When what is watched changed, for the device or in the policy; the newest so many. */
async function changesOf(db: Db, asked: MarksAsked): Promise<{ changes: Change[]; isCut: boolean }> {
  const found = await rows<{ at: Millis }>(
    db,
    // Times are kept to the microsecond: by the next whole millisecond each was in force.
    `
    select distinct date_trunc('milliseconds', at) + interval '1 millisecond' as at from (
      select saved_at as at from template_revision where saved_at > $2
      union select saved_at from assignment_revision where saved_at > $2
      union select saved_at from exception_revision where saved_at > $2
      union select since from device_past where device_id = $1 and since > $2
    ) c where at <= now() order by at`,
    [asked.deviceId, time(asked.from)],
  )
  const all = await reachingBack(db, asked, [asked.from, ...found.map(({ at }) => at)])
  // Of those that count from the same time on the last one does.
  const changes = all.filter(({ start }, i) => start < asked.until && all[i + 1]?.start !== start)
  return { changes: changes.slice(-mostChanges), isCut: changes.length > mostChanges }
}

/** The levels that a roster gives a series. */
function levelsOf(
  roster: Roster,
  observed: Observed,
  { metric, instance }: MarksAsked,
): Pick<LevelStep, 'severity' | 'value' | 'name'>[] {
  return roster.flatMap((watch) => {
    const kind = watchKind(watch.kind)
    if (kind.metric !== metric || !kind.lines || watch.standing !== 'active') return []
    if (kind.gone?.(watch.values, observed, instance)) return []
    return kind.lines(watch.values, observed.facts, instance).flatMap(({ severity, value, shareOf }) => {
      const whole = shareOf ? observed.readings.find(([other]) => other === shareOf)?.[2] : 1
      return whole === undefined ? [] : [{ severity, value: value * whole, name: watch.name }]
    })
  })
}

const factsOfLevels = ['system', 'disks', 'ports'] as const

/** What the levels of a series are shares of, and what says whether it is watched. */
async function observedOf(
  db: Db,
  { deviceId, from, until }: MarksAsked,
): Promise<Pick<Observed, 'facts' | 'readings'>> {
  const sizes = await readReadings(db, deviceId, ['memory.size'], Math.max(from, until - day), until)
  return {
    facts: (await factsOf(db, factsOfLevels, [deviceId])).get(deviceId) ?? {},
    readings: [...sizes.values()].map(({ metric, instance, samples }) => [metric, instance, samples.value.at(-1)!]),
  }
}

/** Levels over time: those that stay as they are from one change to the next are one step. */
async function levelSteps(db: Db, asked: MarksAsked): Promise<Pick<SeriesMarks, 'levels' | 'levelsFrom'>> {
  const { changes, isCut } = await changesOf(db, asked)
  const known = await observedOf(db, asked)
  const steps: LevelStep[] = []
  const open = new Map<string, LevelStep>()
  for (const { at, start } of changes) {
    const device = await deviceAt(db, asked.deviceId, at)
    if (!device) break
    const { zone, interval_ms: interval } = device
    const observed: Observed = { ...known, at, interval, heardAt: at, events: [], failed: [], zone }
    const { compiled } = await policyAsOf(db, at)
    const levels = levelsOf(compiled.roster(traitsOf(device, known.facts)), observed, asked)
    const now = new Map(levels.map((level) => [`${level.severity} ${level.value} ${level.name}`, level]))
    for (const [key, step] of open)
      if (!now.has(key)) {
        step.until = start
        open.delete(key)
      }
    for (const [key, level] of now)
      if (!open.has(key)) {
        const step = { ...level, from: start, until: asked.until }
        open.set(key, step)
        steps.push(step)
      }
  }
  return { levels: steps, levelsFrom: isCut ? changes[0]!.start : null }
}

async function alertsOf(
  db: Db,
  viewer: Viewer,
  { deviceId, metric, instance, from, until }: MarksAsked,
): Promise<Pick<SeriesMarks, 'alerts' | 'moreAlerts'>> {
  const found = await rows<Omit<MarkedAlert, 'isOfSeries'> & { kind: string; instance: string; total: number }>(
    db,
    `
    select a.id, a.severity, a.began as from, a.closed_at as until, a.rule->>'kind' as kind, a.instance,
      coalesce(a.evidence->>'text', a.rule->>'name') as text, (count(*) over ())::int as total
    from alert a where a.device_id = $1 and ${ofClients('a.client_id', 4)}
      and a.began < $3 and coalesce(a.closed_at, 'infinity') > $2
    order by a.instance <> $5, a.began desc limit ${mostAlerts}`,
    [deviceId, time(from), time(until), viewer.clientIds, instance],
  )
  const isOfSeries = (kind: string, about: string) => watchKinds.get(kind)?.metric === metric && about === instance
  return {
    alerts: found.map(({ kind, instance: about, total: _total, ...alert }) => ({
      ...alert,
      isOfSeries: isOfSeries(kind, about),
    })),
    moreAlerts: (found[0]?.total ?? 0) - found.length,
  }
}

/** What happened to a device over a time, and what was asked of one of its series then. */
export async function marksOf(db: Db, viewer: Viewer, asked: MarksAsked): Promise<SeriesMarks> {
  const { deviceId, from, until } = asked
  const device = await deviceAt(db, deviceId, until)
  const traits = device && traitsOf(device, (await factsOf(db, factsOfLevels, [deviceId])).get(deviceId) ?? {})
  return {
    ...(await levelSteps(db, asked)),
    ...(await alertsOf(db, viewer, asked)),
    windows: traits ? await windowsBetween(db, traits, from, until) : [],
    restarts: await restartsBetween(db, deviceId, from, until),
    updates: await updatesBetween(db, deviceId, from, until),
  }
}
