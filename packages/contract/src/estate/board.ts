import Joi from 'joi'
import { deviceKinds, type DeviceKind } from '#core'
import { answerOf, count, listOf, words } from '../answer'
import { aNumber } from '../bounds'
import { boardDeviceSchema } from './answers'
import type { BoardDevice } from './index'

/** What a board can be sorted by; each has its own first: what needs a person, the fullest disk, the first name. */
export const boardOrders = [
  'needs',
  'name',
  'client',
  'role',
  'system',
  'disks',
  'services',
  'updates',
  'oldest',
  'log',
  'heard',
] as const
export type BoardOrder = (typeof boardOrders)[number]

export const boardStates = ['needs', 'held', 'silent'] as const
export type BoardState = (typeof boardStates)[number]

/** Which devices a board shows, and a part of them. What is not said narrows nothing. */
export interface BoardQuery {
  order: BoardOrder
  /** The last first. */
  reversed: boolean
  client?: number
  site?: number
  kind?: DeviceKind
  role?: string
  state?: BoardState
  /** A part of the name of the device, its client, site, system, or of one of its roles or tags. */
  words?: string
  /** Only those that can be asked to sweep, or to bring agents to others. */
  tasks?: boolean
  /** `next` of the page before. */
  after?: string
  /** None: only the counts. */
  limit: number
}
export const boardQuerySchema = Joi.object<BoardQuery, true>({
  order: Joi.string()
    .valid(...boardOrders)
    .default('needs'),
  reversed: Joi.boolean().default(false),
  client: aNumber,
  site: aNumber,
  kind: Joi.string().valid(...deviceKinds),
  role: Joi.string().max(40),
  state: Joi.string().valid(...boardStates),
  words: Joi.string().allow('').max(100),
  tasks: Joi.boolean(),
  after: Joi.string().max(2000),
  limit: Joi.number().integer().min(0).max(500).default(100),
})

export interface FacetCount {
  value: string
  count: number
}

/** How many match in all, and of how many clients. */
export interface BoardCounts {
  total: number
  clients: number
  /** How many would match with each value, as the other choices stand; values that none has are left out. */
  kinds: FacetCount[]
  roles: FacetCount[]
  states: FacetCount[]
}
/** A part of the devices that match, in order. */
export interface BoardPage {
  devices: BoardDevice[]
  /** Where the next part begins; null: there is no more. */
  next: string | null
  /** With the first part only. */
  counts: BoardCounts | null
}
const facet = listOf(answerOf<FacetCount>({ value: words, count }))
export const boardPageSchema = answerOf<BoardPage>({
  devices: listOf(boardDeviceSchema),
  next: words.allow(null),
  counts: answerOf<BoardCounts>({ total: count, clients: count, kinds: facet, roles: facet, states: facet }).allow(
    null,
  ),
})

export interface DeviceIds {
  ids: string
}
/** Which devices are asked for by number, with commas. */
export const deviceIdsSchema = Joi.object<DeviceIds, true>({
  ids: Joi.string()
    .pattern(/^\d{1,9}(,\d{1,9}){0,499}$/, 'up to 500 numbers with commas between')
    .required(),
})
