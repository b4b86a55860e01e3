import Joi from 'joi'
import type { ClientId, Millis } from '#core'
import { answerOf, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'

/**
 * What a program may do in somebody's name. `read`: whatever a technician reads; `report-in`: make requests,
 * and read nothing; `maintenance`: that of `read`, and plan windows;
 * `all`: whatever the person may, but for people, tokens, ways and their own account.
 */
export const tokenScopes = ['read', 'report-in', 'maintenance', 'all'] as const
export type TokenScope = (typeof tokenScopes)[number]

export interface NewToken {
  name: string
  scope: TokenScope
  /** null: whichever clients the person sees. */
  clientIds: ClientId[] | null
  days: number
}
export const newTokenSchema = Joi.object<NewToken, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  scope: Joi.string()
    .valid(...tokenScopes)
    .required(),
  clientIds: Joi.array().items(aNumber).min(1).max(5000).unique().allow(null).required(),
  days: Joi.number().integer().min(1).max(730).required(),
})
/** It is told once, when it is made. */
export interface MadeToken {
  id: number
  token: string
}
export const madeTokenSchema = answerOf<MadeToken>({ id, token: words })

export interface TokenListed {
  id: number
  name: string
  person: string
  scope: TokenScope
  clientIds: ClientId[] | null
  createdAt: Millis
  expiresAt: Millis
  usedAt: Millis | null
  usedFrom: string | null
}
export const tokensSchema = listOf(
  answerOf<TokenListed>({
    id,
    name: words,
    person: words,
    scope: Joi.string().valid(...tokenScopes),
    clientIds: listOf(id).allow(null),
    createdAt: instant,
    expiresAt: instant,
    usedAt: instant.allow(null),
    usedFrom: words.allow(null),
  }),
)
