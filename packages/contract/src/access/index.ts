import Joi from 'joi'
import type { ClientId, Millis } from '#core'
import { aNumber } from '../bounds'

/** A contact sees the estate of some clients and changes nothing; a lead may do all. */
export const accessLevels = ['contact', 'technician', 'lead'] as const
export type AccessLevel = (typeof accessLevels)[number]

export interface Person {
  id: number
  email: string
  name: string
  access: AccessLevel
  clientIds: ClientId[] | null
  lookedAt: number
  /** The house asks a second factor of them, and they have none: nothing else is open to them. */
  isFactorDue: boolean
}

/** `clientIds` null: every client. `deactivatedAt` null: they may sign in. */
export interface PersonListed {
  id: number
  name: string
  email: string
  access: AccessLevel
  clientIds: ClientId[] | null
  deactivatedAt: Millis | null
  /** null: it is not the viewer's to know. */
  hasSecondFactor: boolean | null
}
export interface SignedIn {
  signedIn: boolean
}
export interface PasswordChanged {
  changed: boolean
}

/** `code`: of the second factor, where somebody has one. */
export interface SignIn {
  email: string
  password: string
  code?: string
  /** This browser stays signed in as long as the house allows; else for half a day. */
  stay?: boolean
}
export const signInSchema = Joi.object<SignIn, true>({
  email: Joi.string().max(200).required(),
  password: Joi.string().max(200).required(),
  code: Joi.string().trim().allow('').max(40),
  stay: Joi.boolean(),
})

/** Ten characters at least (ASVS 5.0 asks for eight, 6.2.1); longer ones than 200 would only cost time. */
const newPassword = Joi.string().min(10).max(200)
const clientIds = Joi.array().items(aNumber).min(1).max(5000).unique().allow(null)

/** Without a password they are sent a link to choose one by. */
export interface NewPerson {
  email: string
  name: string
  password?: string
  access: AccessLevel
  clientIds: ClientId[] | null
}
export const newPersonSchema = Joi.object<NewPerson, true>({
  email: Joi.string().email({ tlds: false }).max(200).required(),
  name: Joi.string().trim().min(1).max(100).required(),
  password: newPassword,
  access: Joi.string()
    .valid(...accessLevels)
    .required(),
  clientIds: clientIds.required(),
})

/** What is not named stays as it is. */
export interface PersonChange {
  name?: string
  access?: AccessLevel
  clientIds?: ClientId[] | null
  active?: boolean
}
export const personChangeSchema = Joi.object<PersonChange, true>({
  name: Joi.string().trim().min(1).max(100),
  access: Joi.string().valid(...accessLevels),
  clientIds,
  active: Joi.boolean(),
}).min(1)

export interface NewPassword {
  password: string
}
export const newPasswordSchema = Joi.object<NewPassword, true>({ password: newPassword.required() })

/** Of one's own: whoever finds an open browser cannot take the account over. */
export interface OwnPassword extends NewPassword {
  current: string
}
export const ownPasswordSchema = Joi.object<OwnPassword, true>({
  current: Joi.string().max(200).required(),
  password: newPassword.required(),
})
