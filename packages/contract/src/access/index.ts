import Joi from 'joi'
import type { ClientId } from '#core'

/** A contact sees the estate of some clients and changes nothing; a lead may do all. */
export const accessLevels = ['contact', 'technician', 'lead'] as const
export type AccessLevel = (typeof accessLevels)[number]

export interface Person { id: number; email: string; name: string; access: AccessLevel; clientIds: ClientId[] | null; lookedAt: number }

export interface PersonListed { id: number; name: string; email: string; access: AccessLevel }
export interface SignedIn { signedIn: boolean }

export interface SignIn { email: string; password: string }
export const signInSchema = Joi.object<SignIn, true>({ email: Joi.string().max(200).required(), password: Joi.string().max(200).required() })

export interface NewPerson { email: string; name: string; password: string; access: AccessLevel; clientIds: ClientId[] | null }
export const newPersonSchema = Joi.object<NewPerson, true>({
  email: Joi.string().email({ tlds: false }).max(200).required(),
  name: Joi.string().trim().min(1).max(100).required(),
  password: Joi.string().min(10).max(200).required(),
  access: Joi.string().valid(...accessLevels).required(),
  clientIds: Joi.array().items(Joi.number().integer()).min(1).allow(null).required(),
})
