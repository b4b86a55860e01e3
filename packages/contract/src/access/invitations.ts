import Joi from 'joi'
import { answerOf, count, id, words } from '../answer'

/**
 * What came of an invitation. `link`: where no mail could be sent, to be handed over by other means; told this once.
 */
export interface Invited {
  id: number
  isSent: boolean
  link: string | null
  /** What the mail server said. */
  answer: string
}
export const invitedSchema = answerOf<Invited>({ id, isSent: Joi.boolean(), link: words.allow(null), answer: words })

export interface InvitationLook {
  secret: string
}
const secret = Joi.string().max(100).required()
export const invitationLookSchema = Joi.object<InvitationLook, true>({ secret })
/** `isNew`: of somebody who has never signed in. */
export interface InvitationSeen {
  name: string
  email: string
  isNew: boolean
  passwordLength: number
}
export const invitationSeenSchema = answerOf<InvitationSeen>({
  name: words,
  email: words,
  isNew: Joi.boolean(),
  passwordLength: count,
})
export interface InvitationTaken extends InvitationLook {
  password: string
}
export const invitationTakenSchema = Joi.object<InvitationTaken, true>({
  secret,
  password: Joi.string().min(10).max(200).required(),
})
export interface Forgotten {
  email: string
}
export const forgottenSchema = Joi.object<Forgotten, true>({ email: Joi.string().max(200).required() })
/** The same whether there is such a person or not. */
export interface ForgottenHeard {
  heard: boolean
}
export const forgottenHeardSchema = answerOf<ForgottenHeard>({ heard: Joi.boolean() })

export const factorPolicies = ['none', 'leads', 'all'] as const
export type FactorPolicy = (typeof factorPolicies)[number]
/** What holds for whoever signs in. */
export interface HousePolicy {
  secondFactor: FactorPolicy
  sessionDays: number
  passwordLength: number
}
export const housePolicySchema = Joi.object<HousePolicy, true>({
  secondFactor: Joi.string()
    .valid(...factorPolicies)
    .required(),
  sessionDays: Joi.number().integer().min(1).max(90).required(),
  passwordLength: Joi.number().integer().min(10).max(64).required(),
})
/** `without`: people for whom a second factor is asked and who have none yet. */
export interface HousePolicyView extends HousePolicy {
  without: number
}
export const housePolicyViewSchema = answerOf<HousePolicyView>({
  secondFactor: Joi.string().valid(...factorPolicies),
  sessionDays: count,
  passwordLength: count,
  without: count,
})
