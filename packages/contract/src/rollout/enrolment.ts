import Joi from 'joi'
import {
  deviceKinds,
  osFamilies,
  type ClientId,
  type DeviceId,
  type DeviceKind,
  type Millis,
  type NewcomerCondition,
  type RoleId,
  type SiteId,
  type StandingRule,
} from '#core'
import { deviceKindSchema } from '../report/schema'
import { aNumber } from '../bounds'

const names = Joi.array().items(Joi.string().max(60)).max(20).unique()
const id = aNumber

/** Site null: the agent's address decides, among the sites of the client, or of every client where that is null too. */
export interface NewEnrolmentKey {
  siteId: SiteId | null
  clientId: ClientId | null
  label: string
  uses: number
  days: number
  kind: DeviceKind
  roles: string[]
  tags: string[]
}
export const newEnrolmentKeySchema = Joi.object<NewEnrolmentKey, true>({
  siteId: id.allow(null).required(),
  clientId: id.allow(null).default(null),
  label: Joi.string().trim().allow('').max(100).default(''),
  uses: Joi.number().integer().min(1).max(10_000).required(),
  days: Joi.number().min(0.01).max(365).required(),
  kind: deviceKindSchema.default('server'),
  roles: names.default([]),
  tags: names.default([]),
})

export type KeyState = 'good' | 'used up' | 'expired' | 'revoked'
export interface EnrolmentKeyView {
  id: number
  siteId: SiteId | null
  siteName: string | null
  clientId: ClientId | null
  clientName: string | null
  label: string
  uses: number
  usesLeft: number
  expiresAt: Millis
  state: KeyState
  kind: DeviceKind
  roles: string[]
  tags: string[]
  createdAt: Millis
  createdBy: string
}
/** The key itself, shown this once. */
export interface MadeEnrolmentKey {
  id: number
  key: string
  /** The address at which machines reach the server. */
  server: string
  /** Its certificate is of an authority that machines do not know by themselves. */
  hasOwnCa: boolean
}
export interface Revoked {
  revoked: boolean
}

export const refusalCodes = ['unknown-key', 'used-up', 'expired', 'revoked', 'no-place', 'name-in-use'] as const
export type RefusalCode = (typeof refusalCodes)[number]

/** One attempt to enrol, and how far the machine has come since. */
export interface EnrolmentAttempt {
  id: number
  at: Millis
  name: string
  osName: string
  address: string
  /** Its clock minus the server's. */
  clockOffset: Millis
  outcome: 'enrolled' | 'refused'
  /** Why it was refused, for programs; empty when it was not. */
  code: RefusalCode | ''
  /** Why it was refused, exactly; empty when it was not. */
  reason: string
  device: EnrolledDevice | null
}
export interface EnrolledDevice {
  id: DeviceId
  name: string
  clientName: string
  siteName: string
  heardAt: Millis | null
  /** Null: not told yet. */
  startsAtBoot: boolean | null
  /** Watches in its roster. */
  watches: number
}
export interface EnrolmentKeyPage extends EnrolmentKeyView {
  attempts: EnrolmentAttempt[]
}

const condition = Joi.object<NewcomerCondition, true>({
  clientId: id.allow(null).required(),
  siteId: id.allow(null).required(),
  kind: Joi.string()
    .valid(...deviceKinds)
    .allow(null)
    .required(),
  osFamily: Joi.string()
    .valid(...osFamilies)
    .allow(null)
    .required(),
  namePattern: Joi.string().trim().max(100).allow(null).required(),
  network: Joi.string().trim().max(60).allow(null).required(),
})
export type NewStandingRule = Omit<StandingRule, 'id' | 'roles' | 'tags' | 'notify'> & {
  roles: RoleId[]
  tags: string[]
  notify: number[]
}
export const newStandingRuleSchema = Joi.object<NewStandingRule, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  when: condition.required(),
  roles: names.required(),
  tags: names.required(),
  takeDetected: Joi.boolean().required(),
  notify: Joi.array().items(id).max(50).unique().required(),
})
export interface StandingRuleView extends NewStandingRule {
  id: number
  createdAt: Millis
  createdBy: string
}

/** What a rule would give devices that are here today, had they come now. */
export interface StandingRulePreview {
  matching: number
  gaining: number
  devices: { id: DeviceId; name: string; clientName: string; siteName: string; roles: RoleId[]; tags: string[] }[]
}

export interface Notice {
  id: number
  at: Millis
  text: string
  deviceId: DeviceId | null
}
export interface Seen {
  seen: boolean
}
