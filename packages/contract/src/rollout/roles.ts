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

export interface RoleDecisions {
  decision: RoleDecision
  findings: { deviceId: DeviceId; role: RoleId }[]
}
export const roleDecisionsSchema = Joi.object<RoleDecisions, true>({
  decision: Joi.string().valid('accepted', 'pinned', 'declined').required(),
  findings: Joi.array()
    .items(Joi.object({ deviceId: id.required(), role: Joi.string().max(60).required() }))
    .min(1)
    .max(5000)
    .required(),
})
export interface Decided {
  decided: number
}
