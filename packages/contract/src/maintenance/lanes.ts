import Joi from 'joi'
import type { ClientId, Millis } from '#core'
import { aNumber, aTime } from '../bounds'
import { longestWindow } from './window'

/** What is planned, for lanes of a client or a site. */
export interface LanesQuery {
  from: Millis
  until: Millis
  client?: ClientId
}
export const lanesQuerySchema = Joi.object<LanesQuery, true>({
  from: aTime.required(),
  until: aTime.required(),
  client: aNumber,
})
/** When nothing is planned at a client: within some hours of its clocks, and how long at least. */
export interface FreeQuery {
  client: ClientId
  from: Millis
  until: Millis
  /** Hours of the day; from 20 to 6 is over midnight. */
  after: number
  before: number
  least: Millis
}
const hourOfDay = Joi.number().integer().min(0).max(24)
export const freeQuerySchema = Joi.object<FreeQuery, true>({
  client: aNumber.required(),
  from: aTime.required(),
  until: aTime.required(),
  after: hourOfDay.max(23).default(0),
  before: hourOfDay.default(24),
  least: Joi.number().integer().min(0).max(longestWindow).default(0),
})
export interface FreeTimes {
  zone: string
  spans: { from: Millis; until: Millis }[]
}
export interface LaneSpan {
  windowId: number
  occurrence: number
  start: Millis
  name: string
  from: Millis
  until: Millis | null
  repeats: boolean
  revision: number
  /** It can be moved and stretched: it is this lane's alone, and has not begun. */
  movable: boolean
}
export interface Lane {
  clientId: ClientId
  siteId: number | null
  name: string
  zone: string
  spans: LaneSpan[]
}
export interface Lanes {
  now: Millis
  /** Windows of several clients or sites, in a lane of their own. */
  /** Of the first so many; how many more there are in this time. */
  more: number
  shared: LaneSpan[]
  /** A lane each client; of one client a lane each site, and its own first. */
  lanes: Lane[]
}
