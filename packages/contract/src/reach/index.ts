import Joi from 'joi'
import {
  deviceKinds,
  lookGaps,
  severities,
  type DeviceId,
  type DeviceKind,
  type Looks,
  type Millis,
  type ProbeCheck,
  type ProbeTold,
  type Severity,
  type SiteId,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'
import { probeToldSchema } from '../report/schema'

/** What of devices is looked at from others. */
export interface ReachQuery {
  client?: number
  site?: number
  /** Part of the name of the device, or of what is looked at. */
  words?: string
  /** Only what is down, slow, or cannot be looked at. */
  wrong?: boolean
  after?: string
  limit: number
}
/** What one device said of it last. */
export interface ReachLook {
  deviceId: DeviceId
  deviceName: string
  told: ProbeTold | null
  /** When it said so; null: it has said nothing yet. */
  toldAt: Millis | null
  /** It has said nothing for so long that it counts no more. */
  isQuiet: boolean
}
/** One watch of one device. */
export interface ReachRow {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  siteName: string
  /** The key of the watch. */
  watch: string
  host: string
  /** Null: nobody looks, and `gap` says why. */
  check: ProbeCheck | null
  gap: Looks['none'] | null
  severity: Severity | null
  alertId: number | null
  held: boolean
  by: ReachLook[]
}
export interface ReachPage {
  rows: ReachRow[]
  total: number
  wrong: number
  next: string | null
}
/** Of one device: what others see of it, and what it sees of others. */
export interface DeviceReach {
  of: ReachRow[]
  by: ReachRow[]
}

/** A device that has no agent, and is seen by others alone. */
export interface NewAddress {
  siteId: SiteId
  name: string
  kind: Exclude<DeviceKind, 'server' | 'workstation'>
  /** An address or a name, within the networks of the site or among its named addresses. */
  address: string
  tags: string[]
}

const after = Joi.string().max(600)
export const reachQuerySchema = Joi.object<ReachQuery, true>({
  client: aNumber,
  site: aNumber,
  words: Joi.string().trim().allow('').max(100),
  wrong: Joi.boolean(),
  after,
  limit: Joi.number().integer().min(1).max(500).default(100),
})

const reachRow = answerOf<ReachRow>({
  deviceId: id,
  deviceName: words,
  clientName: words,
  siteName: words,
  watch: words,
  host: words,
  check: Joi.alternatives().try(Joi.object().unknown()).allow(null),
  gap: Joi.string()
    .valid(...lookGaps)
    .allow(null),
  severity: Joi.string()
    .valid(...severities)
    .allow(null),
  alertId: id.allow(null),
  held: Joi.boolean(),
  by: listOf(
    answerOf<ReachLook>({
      deviceId: id,
      deviceName: words,
      told: probeToldSchema.prefs({ presence: 'optional' }).allow(null),
      toldAt: instant.allow(null),
      isQuiet: Joi.boolean(),
    }),
  ),
})
export const reachPageSchema = answerOf<ReachPage>({
  rows: listOf(reachRow),
  total: count,
  wrong: count,
  next: words.allow(null),
})
export const deviceReachSchema = answerOf<DeviceReach>({ of: listOf(reachRow), by: listOf(reachRow) })

export const addressSchema = Joi.string().trim().max(253)
export const newAddressSchema = Joi.object<NewAddress, true>({
  siteId: aNumber.required(),
  name: Joi.string()
    .trim()
    .pattern(/^[\w][\w .-]{0,62}$/, 'letters, digits, dots, spaces and hyphens')
    .required(),
  kind: Joi.string()
    .valid(...deviceKinds.filter((kind) => kind !== 'server' && kind !== 'workstation'))
    .default('address'),
  address: addressSchema.required(),
  tags: Joi.array().items(Joi.string().trim().min(1).max(60)).max(20).unique().default([]),
})
