import type { Millis } from '#core'
import Joi from 'joi'
import { answerOf, id, instant, listOf, words } from '../answer'

/** One place where somebody is signed in. `address` null: it was not kept then. `usedAt`: as of some minutes. */
export interface SessionListed {
  id: number
  createdAt: Millis
  usedAt: Millis
  expiresAt: Millis
  address: string | null
  /** What the browser calls itself. */
  browser: string
  /** It is the one that asks. */
  isThis: boolean
}
export const sessionsSchema = listOf(
  answerOf<SessionListed>({
    id,
    createdAt: instant,
    usedAt: instant,
    expiresAt: instant,
    address: words.allow(null),
    browser: words,
    isThis: Joi.boolean(),
  }),
)

export interface SessionsEnded {
  ended: number
}
export const sessionsEndedSchema = answerOf<SessionsEnded>({ ended: Joi.number().integer().min(0) })

/** How somebody is called. */
export interface OwnName {
  name: string
}
export const ownNameSchema = Joi.object<OwnName, true>({ name: Joi.string().trim().min(1).max(100).required() })
