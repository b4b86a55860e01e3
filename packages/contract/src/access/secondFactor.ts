import type { Millis } from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'

/** One's own second factor. `since` null: there is none, or none that a code was given of. */
export interface SecondFactor {
  since: Millis | null
  /** Recovery codes that were not used yet. */
  codesLeft: number
}
export const secondFactorSchema = answerOf<SecondFactor>({ since: instant.allow(null), codesLeft: count })

/** Shown once. `secret` in base32 (RFC 4648); `uri` for a program that makes the codes. */
export interface SecondFactorSecret {
  secret: string
  uri: string
}
export const secondFactorSecretSchema = answerOf<SecondFactorSecret>({ secret: words, uri: words })

/** Shown once. */
export interface RecoveryCodes {
  codes: string[]
}
export const recoveryCodesSchema = answerOf<RecoveryCodes>({ codes: listOf(words) })

export interface OwnPasswordOnly {
  password: string
}
const password = Joi.string().max(200).required()
export const ownPasswordOnlySchema = Joi.object<OwnPasswordOnly, true>({ password })

/** Of a program that makes them, or a recovery code. */
const code = Joi.string().trim().min(1).max(40)
export interface GivenCode {
  code: string
}
export const givenCodeSchema = Joi.object<GivenCode, true>({ code: code.required() })
export interface SecondFactorEnd extends OwnPasswordOnly, GivenCode {}
export const secondFactorEndSchema = Joi.object<SecondFactorEnd, true>({ password, code: code.required() })

export interface SecondFactorEnded {
  id: number
}
export const secondFactorEndedSchema = answerOf<SecondFactorEnded>({ id })
