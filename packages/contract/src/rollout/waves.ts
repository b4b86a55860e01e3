import Joi from 'joi'
import {
  failureKinds,
  type ClientId,
  type DeviceId,
  type DeviceKind,
  type FailureKind,
  type MachineState,
  type Millis,
  type SiteId,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { deviceKindSchema } from '../report/schema'
import { aNumber } from '../bounds'
import { machineKeySchema, type MachineKey } from './sweeps'

const anId = aNumber

/** `secret` goes in and never comes out again. */
export interface NewCredential {
  clientId: ClientId
  siteId: SiteId | null
  name: string
  userName: string
  kind: 'password' | 'private key'
  secret: string
}
export const newCredentialSchema = Joi.object<NewCredential, true>({
  clientId: anId.required().messages({ 'number.min': 'Say whose machines these are.' }),
  siteId: anId.allow(null).required(),
  name: Joi.string().trim().min(1).max(100).required(),
  userName: Joi.string().trim().min(1).max(100).required(),
  kind: Joi.string().valid('password', 'private key').required(),
  secret: Joi.string().min(1).max(20_000).required(),
})
export interface CredentialView {
  id: number
  clientId: ClientId
  clientName: string
  siteId: SiteId | null
  siteName: string | null
  name: string
  userName: string
  kind: 'password' | 'private key'
  createdAt: Millis
  createdBy: string
  usedAt: Millis | null
}
export const credentialsSchema = listOf(
  answerOf<CredentialView>({
    id,
    clientId: id,
    clientName: words,
    siteId: id.allow(null),
    siteName: words.allow(null),
    name: words,
    userName: words,
    kind: Joi.string().valid('password', 'private key'),
    createdAt: instant,
    createdBy: words,
    usedAt: instant.allow(null),
  }),
)

export interface MachineToReach {
  address: string
  name: string | null
}
/** Machines by name and address, a line each, as CSV (RFC 4180). */
export interface MachineList {
  csv: string
}
export const machineListSchema = Joi.object<MachineList, true>({ csv: Joi.string().max(500_000).required() })
export interface MachinesRead {
  machines: MachineToReach[]
  faults: { line: number; message: string }[]
}
export const machinesReadSchema = answerOf<MachinesRead>({
  machines: listOf(answerOf<MachineToReach>({ address: words, name: words.allow(null) })),
  faults: listOf(answerOf<MachinesRead['faults'][number]>({ line: count, message: words })),
})

/** `waves`: sizes of the first ones; the rest is the last. */
export interface NewWaveRun {
  siteId: SiteId
  deviceId: DeviceId
  name: string
  kind: DeviceKind
  roles: string[]
  tags: string[]
  machines: MachineToReach[]
  credentialIds: number[]
  waves: number[]
  mostFailed: number
  hoursFrom: number | null
  hoursUntil: number | null
  /** Machines named like devices of the client are those devices: their agents go on as them. */
  takeOver: boolean
  /** Passwords go also to machines whose key nobody has accepted. */
  passwordsToUnknown: boolean
}
const hourOfDay = Joi.number().integer().min(0).max(23).allow(null)
/** Another name for a machine of a run, by which its agent enrols. */
export const machineNameSchema = Joi.object<{ name: string }, true>({
  name: Joi.string().trim().min(1).max(63).required(),
})
export const newWaveRunSchema = Joi.object<NewWaveRun, true>({
  siteId: anId.required(),
  deviceId: anId.required(),
  name: Joi.string().trim().min(1).max(100).required(),
  kind: deviceKindSchema.required(),
  roles: Joi.array().items(Joi.string().max(60)).max(20).required(),
  tags: Joi.array().items(Joi.string().max(60)).max(20).required(),
  machines: Joi.array()
    .min(1)
    .max(5000)
    .required()
    .items(
      Joi.object<MachineToReach, true>({
        address: Joi.string().ip({ cidr: 'forbidden' }).required(),
        name: Joi.string().max(63).allow(null).required(),
      }),
    ),
  credentialIds: Joi.array().items(anId).min(1).max(10).unique().required(),
  waves: Joi.array().items(Joi.number().integer().min(1).max(5000)).max(10).required(),
  mostFailed: Joi.number().min(0).max(1).required(),
  hoursFrom: hourOfDay.default(null),
  hoursUntil: hourOfDay.default(null),
  takeOver: Joi.boolean().default(false),
  passwordsToUnknown: Joi.boolean().default(false),
})

export type RunState = 'running' | 'paused' | 'stopped' | 'done'
export interface WaveRunView {
  id: number
  siteId: SiteId
  name: string
  clientId: ClientId
  clientName: string
  siteName: string
  deviceName: string
  state: RunState
  /** Why it is paused, or waits. */
  reason: string
  wave: number
  waves: number
  total: number
  installed: number
  failed: number
  createdAt: Millis
  createdBy: string
}
export interface WaveMachineView {
  n: number
  address: string
  name: string | null
  wave: number
  state: MachineState
  step: string
  failure: FailureKind | null
  reason: string
  attempts: number
  changedAt: Millis
  device: { id: DeviceId; name: string; reports: boolean } | null
  key: MachineKey | null
}
export interface WaveRunPage extends WaveRunView {
  machines: WaveMachineView[]
}

export type RunAction = 'pause' | 'resume' | 'stop' | 'retry'
const run = {
  id,
  siteId: id,
  name: words,
  clientId: id,
  clientName: words,
  siteName: words,
  deviceName: words,
  state: Joi.string().valid('running', 'paused', 'stopped', 'done'),
  reason: words,
  wave: count,
  waves: count,
  total: count,
  installed: count,
  failed: count,
  createdAt: instant,
  createdBy: words,
}
export const waveRunsSchema = listOf(answerOf<WaveRunView>(run))
export const waveRunPageSchema = answerOf<WaveRunPage>({
  ...run,
  machines: listOf(
    answerOf<WaveMachineView>({
      n: count,
      address: words,
      name: words.allow(null),
      wave: count,
      state: Joi.string().valid('waiting', 'going', 'installed', 'failed'),
      step: words,
      failure: Joi.string()
        .valid(...failureKinds)
        .allow(null),
      reason: words,
      attempts: count,
      changedAt: instant,
      device: answerOf<NonNullable<WaveMachineView['device']>>({ id, name: words, reports: Joi.boolean() }).allow(null),
      key: machineKeySchema.allow(null),
    }),
  ),
})
