import Joi from 'joi'
import {
  serviceStarts,
  serviceStates,
  serviceVerbs,
  severities,
  type DeviceId,
  type Millis,
  type ServiceAction,
  type ServiceStart,
  type ServiceState,
  type Severity,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'
import { factLimits } from '../report'

/** Services by their names: which there are on the devices that one sees. */
export interface ServicesQuery {
  client?: number
  site?: number
  /** Part of the name or of its title. */
  words?: string
  /** Only those that are not as they should be somewhere. */
  wrong?: boolean
  order: 'needs' | 'name' | 'devices'
  after?: string
  limit: number
}
export interface ServiceByName {
  name: string
  title: string
  devices: number
  running: number
  stopped: number
  failed: number
  /** Devices on which it is not as it should be: an alert is open, or held back. */
  wrong: number
  held: number
}
export interface ServicesPage {
  services: ServiceByName[]
  total: number
  devices: number
  next: string | null
}

export interface ServiceOnDevicesQuery {
  name: string
  client?: number
  site?: number
  start?: ServiceStart
  state?: ServiceState
  account?: string
  after?: string
  limit: number
}
/** One service on one device. */
export interface ServiceOnDevice {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  siteName: string
  silent: boolean
  start: ServiceStart
  state: ServiceState
  /** Older agents do not tell. */
  account: string | null
  since: Millis | null
  severity: Severity | null
  /** The open one that is about it there. */
  alertId: number | null
  held: boolean
}
export interface ValueCount {
  value: string
  count: number
}
export interface ServiceOnDevices {
  title: string
  /** Of those that match. */
  total: number
  /** Devices that have it, by each thing in which they differ, the most frequent first; whatever was narrowed. */
  starts: ValueCount[]
  states: ValueCount[]
  accounts: ValueCount[]
  rows: ServiceOnDevice[]
  next: string | null
}

/** What a device's agent was asked to do to its services, by whom, and how it went. */
export interface ServiceActionView extends ServiceAction {
  id: number
  at: Millis
  /** Null: by itself, before a person was told. */
  by: string | null
  /** `unanswered`: nothing came back in the time that it had. */
  state: 'asked' | 'done' | 'failed' | 'unanswered'
  endedAt: Millis | null
  text: string
}

const start = Joi.string().valid(...serviceStarts)
const state = Joi.string().valid(...serviceStates)
const severity = Joi.string().valid(...severities)
const serviceName = Joi.string().max(factLimits.serviceName)
const after = Joi.string().max(2000)

export const servicesQuerySchema = Joi.object<ServicesQuery, true>({
  client: aNumber,
  site: aNumber,
  words: Joi.string().trim().allow('').max(100),
  wrong: Joi.boolean(),
  order: Joi.string().valid('needs', 'name', 'devices').default('needs'),
  after,
  limit: Joi.number().integer().min(1).max(500).default(100),
})
export const servicesPageSchema = answerOf<ServicesPage>({
  services: listOf(
    answerOf<ServiceByName>({
      name: words,
      title: words,
      devices: count,
      running: count,
      stopped: count,
      failed: count,
      wrong: count,
      held: count,
    }),
  ),
  total: count,
  devices: count,
  next: words.allow(null),
})

export const serviceOnDevicesQuerySchema = Joi.object<ServiceOnDevicesQuery, true>({
  name: serviceName.required(),
  client: aNumber,
  site: aNumber,
  start,
  state,
  account: Joi.string().allow('').max(factLimits.account),
  after,
  limit: Joi.number().integer().min(1).max(500).default(100),
})
const values = listOf(answerOf<ValueCount>({ value: words, count }))
export const serviceOnDevicesSchema = answerOf<ServiceOnDevices>({
  title: words,
  total: count,
  starts: values,
  states: values,
  accounts: values,
  rows: listOf(
    answerOf<ServiceOnDevice>({
      deviceId: id,
      deviceName: words,
      clientName: words,
      siteName: words,
      silent: Joi.boolean(),
      start,
      state,
      account: words.allow(null),
      since: instant.allow(null),
      severity: severity.allow(null),
      alertId: id.allow(null),
      held: Joi.boolean(),
    }),
  ),
  next: words.allow(null),
})

export const serviceActionSchema = Joi.object<ServiceAction, true>({
  verb: Joi.string()
    .valid(...serviceVerbs)
    .required(),
  service: serviceName.required(),
})
export const serviceActionsSchema = listOf(
  answerOf<ServiceActionView>({
    id,
    verb: Joi.string().valid(...serviceVerbs),
    service: words,
    at: instant,
    by: words.allow(null),
    state: Joi.string().valid('asked', 'done', 'failed', 'unanswered'),
    endedAt: instant.allow(null),
    text: words,
  }),
)
