import type { LogVolumes } from '#contract'
import { logLevels, matchesLogFilter, watchKinds, type LogFilter, type LogVolume, type Policy } from '#core'
import { rows, type Db } from '../../db'
import { policyInForce } from '../../store/policy'
import type { Viewer } from '../access'
import { devicesOf, type LogScope } from './search'

/** What watches of any template look for in logs. */
function lookedFor({ templates }: Policy): LogFilter[] {
  return templates.flatMap(({ watches }) =>
    watches.flatMap(({ kind: name, values }) => {
      const kind = watchKinds.get(name)
      if (!kind?.entries) return []
      const standard = Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default]))
      return kind.entries({ ...standard, ...values })
    }),
  )
}

/** By the index of times, or that of devices and times. */
const byLevel = `
  select channel, level, count(*)::int as entries, count(distinct device_id)::int as devices from log_event
  where at > now() - interval '1 day' and ($1::int[] is null or device_id = any($1)) group by 1, 2`

/** Of each shape once, by the same. */
const byShape = `
  select s.channel, s.source, s.event_id as id, s.level, s.text, c.entries from (
    select shape, count(*)::int as entries from log_event
    where at > now() - interval '1 day' and ($1::int[] is null or device_id = any($1)) group by 1
  ) c join log_shape s on s.id = c.shape`

type Shape = { channel: string; source: string; id: number | null; level: number; text: string; entries: number }

/**
 * What was written within a day, by log and level, and how much of it a watch looks for; words with numbers are looked
 * for in texts without them.
 */
export async function logVolumes(db: Db, viewer: Viewer, scope: LogScope): Promise<LogVolumes> {
  const deviceIds = await devicesOf(db, viewer, scope)
  const levels = await rows<Omit<LogVolume, 'level' | 'watched'> & { level: number }>(db, byLevel, [deviceIds])
  const filters = lookedFor(await policyInForce(db))
  const watched = new Map<string, number>()
  for (const { entries, level, ...said } of filters.length ? await rows<Shape>(db, byShape, [deviceIds]) : []) {
    const event = { ...said, at: 0, level: logLevels[level]! }
    if (!filters.some((filter) => matchesLogFilter(filter, event))) continue
    const key = `${level} ${said.channel}`
    watched.set(key, (watched.get(key) ?? 0) + entries)
  }
  return {
    volumes: levels
      .map(({ level, ...rest }): LogVolume => ({
        ...rest,
        level: logLevels[level]!,
        watched: Math.min(rest.entries, watched.get(`${level} ${rest.channel}`) ?? 0),
      }))
      .sort((a, b) => b.entries - a.entries),
  }
}
