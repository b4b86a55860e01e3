import Joi from 'joi'
import type { ClientId, Millis } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'

/**
 * What a secret is for: signing in at machines, at the mail server, signing what a webhook gets, the identity
 * provider.
 */
export const secretKinds = ['credential', 'mail', 'webhook', 'provider'] as const
export type SecretKind = (typeof secretKinds)[number]

/** A secret that is kept sealed: its name and where it is used, never what it is. */
export interface SecretListed {
  kind: SecretKind
  name: string
  /** Null, and no name: the whole house’s. */
  clientId: ClientId | null
  clientName: string
  /** Of a credential: sweeps that are planned with it, and waves that run with it. */
  plans: number
  runs: number
  /** Null: not used yet, or before this was kept. */
  usedAt: Millis | null
}
export const secretsSchema = listOf(
  answerOf<SecretListed>({
    kind: Joi.string().valid(...secretKinds),
    name: words,
    clientId: id.allow(null),
    clientName: words,
    plans: count,
    runs: count,
    usedAt: instant.allow(null),
  }),
)
