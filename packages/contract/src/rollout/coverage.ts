import Joi from 'joi'
import {
  gapGroupings,
  optionalCollectors,
  type ClientId,
  type Collecting,
  type DeviceId,
  type GapGrouping,
  type Millis,
  type RoleId,
  type SentencePart,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { impactSchema, sentencePartSchema } from '../policy/answers'
import type { Impact } from '../policy'
import { aNumber } from '../bounds'

const anId = aNumber

export interface GapDevice {
  id: DeviceId
  name: string
  clientId: ClientId
  clientName: string
  siteName: string
}
/** The same thing missing on some devices for the same reason. */
export interface GapView {
  need: string
  /** The service, log or collector. */
  instance: string
  on: 'service' | 'log' | 'collector'
  role: RoleId
  roleName: string
  why: string
  uncollected: boolean
  unwatched: boolean
  /** How far the collecting has come where it was asked for already; else empty. */
  trouble: string
  /** How many devices miss it. */
  total: number
  /** The first of them. */
  devices: GapDevice[]
}

/** What one role, client or device misses. */
export interface GapGroupView {
  title: string
  /** Of the group, where it is a client’s or a device’s. */
  clientId: ClientId | null
  deviceId: DeviceId | null
  gaps: GapView[]
}
/** A part of the groups, the worst off first. */
export interface CoveragePage {
  /** Different gaps in all. */
  total: number
  groups: GapGroupView[]
  /** Groups after these, and where they begin. */
  rest: number
  next: string | null
}
export interface CoverageQuery {
  by: GapGrouping
  client?: ClientId
  after?: string
}
export const coverageQuerySchema = Joi.object<CoverageQuery, true>({
  by: Joi.string()
    .valid(...gapGroupings)
    .default('need'),
  client: anId,
  after: Joi.string().pattern(/^\d{1,9} [\w-]{1,60}$/),
})

/** One gap as it was shown, to be told from others of the same thing. */
export type ExactGap = Pick<GapView, 'need' | 'instance' | 'uncollected' | 'unwatched' | 'trouble'>
/** Gaps, and within what they are looked for. */
export interface GapsWithin {
  gaps: ExactGap[]
  clientId: ClientId | null
  deviceId: DeviceId | null
}
export const gapsWithinSchema = Joi.object<GapsWithin, true>({
  gaps: Joi.array()
    .min(1)
    .max(1000)
    .required()
    .items(
      Joi.object<ExactGap, true>({
        need: Joi.string().max(60).required(),
        instance: Joi.string().max(260).required(),
        uncollected: Joi.boolean().required(),
        unwatched: Joi.boolean().required(),
        trouble: Joi.string().allow('').max(1000).required(),
      }),
    ),
  clientId: anId.allow(null).required(),
  deviceId: anId.allow(null).required(),
})

export interface NamedGap {
  need: string
  instance: string
}
/**
 * Which gaps are to be closed, and where: on those of the devices named that have them, or on every device with the
 * role.
 */
export interface GapRemedy {
  gaps: NamedGap[]
  everywhere: boolean
  deviceIds: DeviceId[]
}
export const gapRemedySchema = Joi.object<GapRemedy, true>({
  gaps: Joi.array()
    .min(1)
    .max(1000)
    .required()
    .items(
      Joi.object<NamedGap, true>({ need: Joi.string().max(60).required(), instance: Joi.string().max(260).required() }),
    ),
  everywhere: Joi.boolean().required(),
  deviceIds: Joi.array().items(anId).min(1).max(20_000).unique().required(),
})
/** What a remedy adds, before it is added. */
export interface RemedyPreview {
  collect: Collecting
  templates: { name: string; made: boolean; targetText: string }[]
  watches: { name: string; sentence: SentencePart[] }[]
  impact: Impact
}

/** Not needed there: not told again. */
export interface GapWaiver {
  need: string
  instance: string
  deviceIds: DeviceId[]
  reason: string
}
export const gapWaiverSchema = Joi.object<GapWaiver, true>({
  need: Joi.string().max(60).required(),
  instance: Joi.string().max(260).required(),
  deviceIds: Joi.array().items(anId).min(1).max(20_000).unique().required(),
  reason: Joi.string()
    .trim()
    .min(3)
    .max(500)
    .required()
    .messages({ 'string.empty': 'Say why it is not needed: whoever wonders in a year needs it.' }),
})
export interface WaiverView {
  need: string
  instance: string
  reason: string
  at: Millis
  by: string
  device: GapDevice
}

export interface WaiverQuery {
  client?: ClientId
  after?: string
}
export const waiverQuerySchema = Joi.object<WaiverQuery, true>({ client: aNumber, after: Joi.string().max(400) })
/** A part of them, the newest first. */
export interface WaiverList {
  total: number
  waivers: WaiverView[]
  next: string | null
}

export interface CollectRuleView {
  id: number
  targetText: string
  logs: string[]
  collectors: string[]
  reason: string
  at: Millis
  by: string
  devices: number
}

const on = Joi.string().valid('service', 'log', 'collector')
const device = answerOf<GapDevice>({ id, name: words, clientId: id, clientName: words, siteName: words })
export const gapsSchema = listOf(
  answerOf<GapView>({
    need: words,
    instance: words,
    on,
    role: words,
    roleName: words,
    why: words,
    uncollected: Joi.boolean(),
    unwatched: Joi.boolean(),
    trouble: words,
    total: Joi.number(),
    devices: listOf(device),
  }),
)
export const gapDevicesSchema = listOf(device)
export const coveragePageSchema = answerOf<CoveragePage>({
  total: Joi.number(),
  groups: listOf(
    answerOf<GapGroupView>({
      title: words,
      clientId: id.allow(null),
      deviceId: id.allow(null),
      gaps: gapsSchema,
    }),
  ),
  rest: Joi.number(),
  next: Joi.string().allow(null),
})
const collecting = answerOf<Collecting>({
  logs: listOf(words),
  collectors: listOf(Joi.string().valid(...optionalCollectors)),
})
export const remedyPreviewSchema = answerOf<RemedyPreview>({
  collect: collecting,
  templates: listOf(
    answerOf<RemedyPreview['templates'][number]>({ name: words, made: Joi.boolean(), targetText: words }),
  ),
  watches: listOf(answerOf<RemedyPreview['watches'][number]>({ name: words, sentence: listOf(sentencePartSchema) })),
  impact: impactSchema,
})
export const waiverListSchema = answerOf<WaiverList>({
  total: count,
  waivers: listOf(
    answerOf<WaiverView>({ need: words, instance: words, reason: words, at: instant, by: words, device }),
  ),
  next: words.allow(null),
})
export const collectRulesSchema = listOf(
  answerOf<CollectRuleView>({
    id,
    targetText: words,
    logs: listOf(words),
    collectors: listOf(words),
    reason: words,
    at: instant,
    by: words,
    devices: Joi.number(),
  }),
)
export interface Filled {
  devices: number
}
export const filledSchema = answerOf<Filled>({ devices: Joi.number() })
