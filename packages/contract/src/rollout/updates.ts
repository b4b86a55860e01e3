import Joi from 'joi'
import type { ClientId, DeviceId, Millis } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import type { RunAction, RunState } from './waves'
import { aNumber } from '../bounds'

/** A version of the agent that this server can hand out. */
export interface ReleaseView {
  version: string
  architectures: string[]
}
export interface VersionDevice {
  id: DeviceId
  name: string
  clientName: string
  version: string
}
/** Devices that run a version; one that has not told yet runs “”. */
export interface VersionCount {
  version: string
  total: number
  /** In how many clients. */
  clientCount: number
  /** Those that have most of them. */
  clients: { name: string; devices: number }[]
}
/** Who runs which version of the agent, the newest first. */
export interface VersionPage {
  releases: ReleaseView[]
  total: number
  counts: VersionCount[]
  /** Agents that cannot be updated from here. */
  fixed: number
}
export const versionQuerySchema = Joi.object<{ client?: ClientId }, true>({ client: aNumber })

/** `behind`: those that an update to the version is for, since they run another and can go back; else the fixed. */
export interface VersionDevicesQuery {
  client?: ClientId
  behind?: string
}
export const versionDevicesQuerySchema = Joi.object<VersionDevicesQuery, true>({
  client: aNumber,
  behind: Joi.string().max(40),
})

/** `waves`: sizes of the first ones; the rest is the last. `minutes`: how long an updated agent has to report. */
export interface NewUpdateRun {
  version: string
  deviceIds: DeviceId[]
  waves: number[]
  mostFailed: number
  minutes: number
}
export const newUpdateRunSchema = Joi.object<NewUpdateRun, true>({
  version: Joi.string().max(40).required(),
  deviceIds: Joi.array().items(aNumber).min(1).max(20_000).unique().required(),
  waves: Joi.array().items(Joi.number().integer().min(1).max(20_000)).max(10).required(),
  mostFailed: Joi.number().min(0).max(1).required(),
  minutes: Joi.number()
    .integer()
    .min(1)
    .max(24 * 60)
    .required(),
})

export type UpdateState = 'waiting' | 'going' | 'updated' | 'failed'
export interface UpdateRunView {
  id: number
  version: string
  state: RunState
  reason: string
  wave: number
  waves: number
  minutes: number
  total: number
  updated: number
  failed: number
  createdAt: Millis
  createdBy: string
}
export interface UpdateDeviceView {
  id: DeviceId
  name: string
  clientName: string
  wave: number
  state: UpdateState
  step: string
  reason: string
  fromVersion: string
  changedAt: Millis
}
export interface UpdateRunPage extends UpdateRunView {
  devices: UpdateDeviceView[]
}
export type UpdateAction = RunAction

export const versionDevicesSchema = listOf(
  answerOf<VersionDevice>({ id, name: words, clientName: words, version: words }),
)
export const versionPageSchema = answerOf<VersionPage>({
  releases: listOf(answerOf<ReleaseView>({ version: words, architectures: listOf(words) })),
  total: count,
  counts: listOf(
    answerOf<VersionCount>({
      version: words,
      total: count,
      clientCount: count,
      clients: listOf(Joi.object({ name: words, devices: count })),
    }),
  ),
  fixed: count,
})
const run = {
  id,
  version: words,
  state: Joi.string().valid('running', 'paused', 'stopped', 'done'),
  reason: words,
  wave: count,
  waves: count,
  minutes: count,
  total: count,
  updated: count,
  failed: count,
  createdAt: instant,
  createdBy: words,
}
export const updateRunsSchema = listOf(answerOf<UpdateRunView>(run))
export const updateRunPageSchema = answerOf<UpdateRunPage>({
  ...run,
  devices: listOf(
    answerOf<UpdateDeviceView>({
      id,
      name: words,
      clientName: words,
      wave: count,
      state: Joi.string().valid('waiting', 'going', 'updated', 'failed'),
      step: words,
      reason: words,
      fromVersion: words,
      changedAt: instant,
    }),
  ),
})
