import Joi from 'joi'
import type { DeviceKind, Millis, SiteId } from '#core'
import { deviceKindSchema } from '../report/schema'

export interface NewEnrolmentKey { siteId: SiteId; label: string; uses: number; days: number; kind: DeviceKind; roles: string[]; tags: string[] }
export const newEnrolmentKeySchema = Joi.object<NewEnrolmentKey, true>({
  siteId: Joi.number().integer().required(),
  label: Joi.string().trim().allow('').max(100).default(''),
  uses: Joi.number().integer().min(1).max(10_000).required(),
  days: Joi.number().min(0.01).max(365).required(),
  kind: deviceKindSchema.default('server'),
  roles: Joi.array().items(Joi.string().max(60)).max(20).default([]),
  tags: Joi.array().items(Joi.string().max(60)).max(20).default([]),
})

export interface EnrolmentKeyView { id: number; siteId: SiteId; siteName: string; clientName: string; label: string; usesLeft: number; expiresAt: Millis; revoked: boolean; kind: DeviceKind; roles: string[]; tags: string[]; createdBy: string }
/** The key itself, shown this once. */
export interface MadeEnrolmentKey { id: number; key: string }
