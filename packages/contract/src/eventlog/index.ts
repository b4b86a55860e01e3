import Joi from 'joi'
import { logLevels, type DeviceId, type LogLevel, type LogVolume, type Millis } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber, aTime } from '../bounds'
import { eventLimits } from '../report'

/** Of what is searched, so many of the newest are counted and grouped; more are said to be more. */
export const mostCounted = 10_000
/** Of groups and of devices so many are named, the most frequent first; how many there are is said. */
export const mostNamed = 200
/** How far back it is counted how often a watch would have matched. */
export const matchedDays = 14
/** Once so many matches are counted, it is looked no farther back. */
export const mostMatches = 50_000

/** Which entries: as a watch of log entries says it, of whose devices, and from when until when. */
export interface LogQuery {
  client?: number
  site?: number
  device?: number
  /** Patterns with * and ?, as everywhere. */
  channel?: string
  source?: string
  id?: number
  /** This level or a more urgent one. */
  level?: LogLevel
  /** Somewhere in the entry; * for any run of characters. */
  text?: string
  from?: Millis
  until?: Millis
}
export interface LogPageQuery extends LogQuery {
  after?: string
  limit: number
}
export interface LogEntry {
  /** Its place in the log. */
  key: string
  at: Millis
  deviceId: DeviceId
  deviceName: string
  clientName: string
  channel: string
  source: string
  id: number | null
  level: LogLevel
  text: string
  /** What its log keeps beside the text, by the log's own names. */
  fields: Record<string, string> | null
}
/** Newest first. */
export interface LogPage {
  entries: LogEntry[]
  next: string | null
}

/** Entries that say the same but for their numbers. */
export interface LogGroup {
  channel: string
  source: string
  id: number | null
  level: LogLevel
  /** With # for what is another number each time. */
  text: string
  entries: number
  devices: number
  firstAt: Millis
  lastAt: Millis
}
export interface LogGroups {
  /** How many match; of more than are counted, so many. */
  total: number
  /** More match than were counted. */
  isMore: boolean
  /** Since when is counted: of more, the oldest of those counted; null: nothing matches. */
  since: Millis | null
  groups: LogGroup[]
  /** How many groups there are, of which the most frequent are told. */
  groupCount: number
}

/** How often it would have matched. */
export interface LogMatches {
  /** Since when it was counted. */
  since: Millis
  total: number
  /** It matched so often that not all of the days were counted. */
  isMore: boolean
  deviceCount: number
  /** Days of UTC by their beginning; a day without one is left out. */
  days: { day: Millis; entries: number }[]
  /** Those with most first. */
  devices: { deviceId: DeviceId; deviceName: string; clientName: string; entries: number; lastAt: Millis }[]
}

/** Within a day, by log and level, the most first. */
export interface LogVolumes {
  volumes: LogVolume[]
}

const pattern = (max: number) => Joi.string().trim().allow('').max(max)
const scope = { client: aNumber, site: aNumber, device: aNumber }
const filter = {
  ...scope,
  channel: pattern(eventLimits.channel),
  source: pattern(eventLimits.source),
  id: Joi.number().integer().min(0).max(4_294_967_295),
  level: Joi.string().valid(...logLevels),
  text: pattern(200),
  from: aTime,
  until: aTime,
}
export const logQuerySchema = Joi.object<LogQuery, true>(filter)
export const logPageQuerySchema = Joi.object<LogPageQuery, true>({
  ...filter,
  after: Joi.string().max(2000),
  limit: Joi.number().integer().min(1).max(500).default(100),
})

export const logScopeSchema = Joi.object<Pick<LogQuery, 'client' | 'site' | 'device'>, true>(scope)

const level = Joi.string().valid(...logLevels)
export const logPageSchema = answerOf<LogPage>({
  entries: listOf(
    answerOf<LogEntry>({
      key: words,
      at: instant,
      deviceId: id,
      deviceName: words,
      clientName: words,
      channel: words,
      source: words,
      id: count.allow(null),
      level,
      text: words,
      fields: Joi.object().pattern(Joi.string(), words).allow(null),
    }),
  ),
  next: words.allow(null),
})
export const logGroupsSchema = answerOf<LogGroups>({
  total: count,
  isMore: Joi.boolean(),
  since: instant.allow(null),
  groups: listOf(
    answerOf<LogGroup>({
      channel: words,
      source: words,
      id: count.allow(null),
      level,
      text: words,
      entries: count,
      devices: count,
      firstAt: instant,
      lastAt: instant,
    }),
  ),
  groupCount: count,
})
export const logVolumesSchema = answerOf<LogVolumes>({
  volumes: listOf(answerOf<LogVolume>({ channel: words, level, entries: count, devices: count, watched: count })),
})
export const logMatchesSchema = answerOf<LogMatches>({
  since: instant,
  total: count,
  isMore: Joi.boolean(),
  deviceCount: count,
  days: listOf(answerOf<LogMatches['days'][number]>({ day: instant, entries: count })),
  devices: listOf(
    answerOf<LogMatches['devices'][number]>({
      deviceId: id,
      deviceName: words,
      clientName: words,
      entries: count,
      lastAt: instant,
    }),
  ),
})
