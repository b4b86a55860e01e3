import Joi from 'joi'
import type { ClientId, DeviceId, Millis, RoleId } from '#core'
import { aNumber } from '../bounds'

const id = aNumber

export type RoleDecision = 'accepted' | 'pinned' | 'declined'
/** A role that facts speak for; without evidence it was taken once and no longer shows. */
export interface RoleFinding {
  deviceId: DeviceId
  deviceName: string
  clientId: ClientId
  clientName: string
  siteName: string
  role: RoleId
  evidence: string[]
  foundAt: Millis
  decision: RoleDecision | null
}

/** One role with the first devices that it is about. */
export interface RoleFindingGroup {
  role: RoleId
  total: number
  findings: RoleFinding[]
}
export interface RoleFindingPage {
  total: number
  /** Nobody has decided about these. */
  suggested: RoleFindingGroup[]
  /** Accepted once, and nothing speaks for them now. */
  gone: RoleFindingGroup[]
}
export interface RoleFindingQuery {
  client?: ClientId
  /** How many of each role. */
  limit: number
}
export const roleFindingQuerySchema = Joi.object<RoleFindingQuery, true>({
  client: id,
  limit: Joi.number().integer().min(1).max(20_000).default(100),
})

/** About those named, or about every device that the role is suggested for, of one client or of all. */
export type RoleDecisions =
  | { decision: RoleDecision; findings: { deviceId: DeviceId; role: RoleId }[] }
  | { decision: RoleDecision; role: RoleId; clientId: ClientId | null }
export const roleDecisionsSchema = Joi.object<RoleDecisions>({
  decision: Joi.string().valid('accepted', 'pinned', 'declined').required(),
  findings: Joi.array()
    .items(Joi.object({ deviceId: id.required(), role: Joi.string().max(60).required() }))
    .min(1)
    .max(5000),
  role: Joi.string().max(60),
  clientId: id.allow(null),
})
  .xor('findings', 'role')
  .and('role', 'clientId')
export interface Decided {
  decided: number
}
