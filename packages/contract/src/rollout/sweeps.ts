import Joi from 'joi'
import {
  hostKeyStates,
  type Answering,
  type ClientId,
  type DeviceId,
  type Millis,
  type Seems,
  type SignedIn,
  type SiteId,
  type HostKeyState,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'

/**
 * `credentialIds`: sign-ins in the order in which they are tried where SSH answers. `rule`: when to do it again, as an
 * RRULE (RFC 5545, section 3.3.10) from `at` on, in the zone of the site; null: once, now.
 */
export interface NewSweep {
  siteId: SiteId
  deviceId: DeviceId
  network: string
  rule: string | null
  at: string | null
  credentialIds: number[]
  /** Passwords go also to machines whose key nobody has accepted; not with a rule. */
  passwordsToUnknown: boolean
}
export const newSweepSchema = Joi.object<NewSweep, true>({
  siteId: aNumber.required(),
  deviceId: aNumber.required(),
  network: Joi.string()
    .trim()
    .max(60)
    .required()
    .messages({ 'string.empty': 'Which addresses? Write them like 192.0.2.0/24.' }),
  rule: Joi.string().trim().max(300).allow(null).default(null),
  credentialIds: Joi.array().items(aNumber).max(10).unique().default([]),
  passwordsToUnknown: Joi.boolean().default(false),
  at: Joi.string()
    .pattern(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time of day like 03:00')
    .allow(null)
    .default(null),
})

export type SweepState = 'waiting' | 'running' | 'done' | 'failed'
export interface SweepView {
  id: number
  siteId: SiteId
  siteName: string
  clientId: ClientId
  clientName: string
  deviceId: DeviceId
  deviceName: string
  network: string
  state: SweepState
  /** Why it failed, or what is waited for. */
  reason: string
  scanned: number
  total: number
  answered: number
  unknown: number
  startedAt: Millis
  endedAt: Millis | null
  startedBy: string | null
}
/** The key that a machine showed last: of SSH, or of its certificate; SHA-256 in base64. */
export interface MachineKey {
  fingerprint: string
  state: HostKeyState
}
export const machineKeySchema = answerOf<MachineKey>({
  fingerprint: words,
  state: Joi.string().valid(...hostKeyStates),
})
/** Keys that somebody has looked at, each as it was shown to them. */
export interface KeysToAccept {
  keys: { address: string; fingerprint: string }[]
}
export const keysToAcceptSchema = Joi.object<KeysToAccept, true>({
  keys: Joi.array()
    .min(1)
    .max(5000)
    .required()
    .items(
      Joi.object<KeysToAccept['keys'][number], true>({
        address: Joi.string().ip({ cidr: 'forbidden' }).required(),
        fingerprint: Joi.string().base64().max(100).required(),
      }),
    ),
})
export interface KeysAccepted {
  accepted: number
}
export const keysAcceptedSchema = answerOf<KeysAccepted>({ accepted: count })

export interface SweptHost extends Omit<Answering, 'signedIn'> {
  seems: Seems
  signedIn: (Omit<SignedIn, 'trial' | 'hostKey'> & { with: string | null }) | null
  key: MachineKey | null
  device: { id: DeviceId; name: string } | null
}
export interface SweepPage extends SweepView {
  hosts: SweptHost[]
}
export interface SweepPlanView {
  id: number
  siteId: SiteId
  siteName: string
  clientId: ClientId
  clientName: string
  deviceName: string
  network: string
  rule: string
  zone: string
  nextAt: Millis | null
  /** Why it does not come again; empty where it does, or has come for the last time. */ trouble: string
}

const sweep = {
  id,
  siteId: id,
  siteName: words,
  clientId: id,
  clientName: words,
  deviceId: id,
  deviceName: words,
  network: words,
  state: Joi.string().valid('waiting', 'running', 'done', 'failed'),
  reason: words,
  scanned: count,
  total: count,
  answered: count,
  unknown: count,
  startedAt: instant,
  endedAt: instant.allow(null),
  startedBy: words.allow(null),
}
export const sweepsSchema = listOf(answerOf<SweepView>(sweep))
export const sweepPageSchema = answerOf<SweepPage>({
  ...sweep,
  hosts: listOf(
    answerOf<SweptHost>({
      address: words,
      name: words.allow(null),
      ports: listOf(count),
      banner: words.allow(null),
      seems: Joi.string(),
      signedIn: answerOf<NonNullable<SweptHost['signedIn']>>({
        with: words.allow(null),
        system: words,
        agent: Joi.boolean(),
        reason: words,
      }).allow(null),
      key: machineKeySchema.allow(null),
      device: answerOf<NonNullable<SweptHost['device']>>({ id, name: words }).allow(null),
    }),
  ),
})
export const sweepPlansSchema = listOf(
  answerOf<SweepPlanView>({
    id,
    siteId: id,
    siteName: words,
    clientId: id,
    clientName: words,
    deviceName: words,
    network: words,
    rule: words,
    zone: words,
    nextAt: instant.allow(null),
    trouble: words,
  }),
)
