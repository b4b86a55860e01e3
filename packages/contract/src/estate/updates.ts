import Joi from 'joi'
import { heldReasons, updateRatings, type DeviceId, type HeldReason, type Millis, type UpdateRating } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'
import { factLimits } from '../report'

/**
 * After so many days a device whose oldest security update still waits is behind: within 14 days of their release is
 * what Cyber Essentials asks for (NCSC, Requirements for IT Infrastructure v3.1, security update management); from
 * memory. We count from when an update was first seen on the device.
 */
export const behindAfterDays = 14
export const farBehindAfterDays = 30
/** What a device told longer ago than that is not how it is: it looks once a day. */
export const updatesKnownForDays = 7

export interface UpdatesScope {
  client?: number
  site?: number
}

export interface UpdatesByClientQuery extends UpdatesScope {
  order: 'behind' | 'name' | 'security' | 'oldest'
  after?: string
  limit: number
}
/** How far a client's servers and workstations are. */
export interface ClientUpdates {
  clientId: number
  clientName: string
  devices: number
  /** Of them, those of which nobody knows: they have told nothing for a week, or have never fetched a list. */
  unknown: number
  /** Of the others, by how long their oldest security update has been waiting. */
  none: number
  fresh: number
  behind: number
  farBehind: number
  /** Updates that wait, each counted on each of its devices. */
  security: number
  other: number
  held: number
  /** Devices on which a restart is pending, services run replaced files, lists cannot be fetched. */
  restart: number
  outdated: number
  failing: number
  oldestSecurityAt: Millis | null
}
export interface UpdatesByClient {
  clients: ClientUpdates[]
  total: number
  next: string | null
}

export interface UpdatesQuery extends UpdatesScope {
  /** Part of the name. */
  words?: string
  /** Only those for security. */
  security?: boolean
  /** Only those that are held back somewhere. */
  held?: boolean
  order: 'devices' | 'oldest' | 'name'
  after?: string
  limit: number
}
/** One update, on however many devices it waits. */
export interface UpdateByName {
  name: string
  security: boolean
  rating: UpdateRating | null
  devices: number
  held: number
  /** The version that most of them would get, and how many different ones there are. */
  to: string | null
  versions: number
  oldestAt: Millis
}
export interface UpdatesPage {
  updates: UpdateByName[]
  total: number
  /** Devices that have told what waits on them, by name. */
  devices: number
  next: string | null
}

export interface UpdateOnDevicesQuery extends UpdatesScope {
  name: string
  after?: string
  limit: number
}
export interface UpdateOnDevice {
  deviceId: DeviceId
  deviceName: string
  clientName: string
  siteName: string
  silent: boolean
  from: string | null
  to: string | null
  origin: string | null
  security: boolean
  rating: UpdateRating | null
  held: HeldReason | null
  since: Millis
}
export interface UpdateOnDevices {
  total: number
  rows: UpdateOnDevice[]
  next: string | null
}

export interface BacklogQuery extends UpdatesScope {
  /** How far back. */
  days: number
}
/** What waited at the end of a day in UTC, on the devices that had told within a week before. */
export interface BacklogDay {
  /** Its beginning. */
  day: Millis
  devices: number
  security: number
  other: number
  held: number
  /** Devices with a security update that had waited for longer than 14 days. */
  behind: number
}
/** Days that are over stand as they were then; a day of which nothing is known is left out. */
export interface Backlog {
  days: BacklogDay[]
}

const after = Joi.string().max(2000)
const limit = Joi.number().integer().min(1).max(500).default(100)
const scope = { client: aNumber, site: aNumber }
const rating = Joi.string().valid(...updateRatings)

export const updatesByClientQuerySchema = Joi.object<UpdatesByClientQuery, true>({
  ...scope,
  order: Joi.string().valid('behind', 'name', 'security', 'oldest').default('behind'),
  after,
  limit,
})
export const updatesByClientSchema = answerOf<UpdatesByClient>({
  clients: listOf(
    answerOf<ClientUpdates>({
      clientId: id,
      clientName: words,
      devices: count,
      unknown: count,
      none: count,
      fresh: count,
      behind: count,
      farBehind: count,
      security: count,
      other: count,
      held: count,
      restart: count,
      outdated: count,
      failing: count,
      oldestSecurityAt: instant.allow(null),
    }),
  ),
  total: count,
  next: words.allow(null),
})

export const updatesQuerySchema = Joi.object<UpdatesQuery, true>({
  ...scope,
  words: Joi.string().trim().allow('').max(100),
  security: Joi.boolean(),
  held: Joi.boolean(),
  order: Joi.string().valid('devices', 'oldest', 'name').default('devices'),
  after,
  limit,
})
export const updatesPageSchema = answerOf<UpdatesPage>({
  updates: listOf(
    answerOf<UpdateByName>({
      name: words,
      security: Joi.boolean(),
      rating: rating.allow(null),
      devices: count,
      held: count,
      to: words.allow(null),
      versions: count,
      oldestAt: instant,
    }),
  ),
  total: count,
  devices: count,
  next: words.allow(null),
})

export const updateOnDevicesQuerySchema = Joi.object<UpdateOnDevicesQuery, true>({
  ...scope,
  name: Joi.string().max(factLimits.updateName).required(),
  after,
  limit,
})
export const updateOnDevicesSchema = answerOf<UpdateOnDevices>({
  total: count,
  rows: listOf(
    answerOf<UpdateOnDevice>({
      deviceId: id,
      deviceName: words,
      clientName: words,
      siteName: words,
      silent: Joi.boolean(),
      from: words.allow(null),
      to: words.allow(null),
      origin: words.allow(null),
      security: Joi.boolean(),
      rating: rating.allow(null),
      held: Joi.string()
        .valid(...heldReasons)
        .allow(null),
      since: instant,
    }),
  ),
  next: words.allow(null),
})

export const backlogQuerySchema = Joi.object<BacklogQuery, true>({
  ...scope,
  days: Joi.number().integer().min(7).max(400).default(90),
})
export const backlogSchema = answerOf<Backlog>({
  days: listOf(
    answerOf<BacklogDay>({
      day: instant,
      devices: count,
      security: count,
      other: count,
      held: count,
      behind: count,
    }),
  ),
})
