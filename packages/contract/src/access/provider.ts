import Joi from 'joi'
import type { ClientId } from '#core'
import { answerOf, listOf, words } from '../answer'
import { aNumber } from '../bounds'
import { accessLevels, type AccessLevel } from './index'

/** What members of a group of the identity provider may do here. `clientIds` null: every client. */
export interface GroupRule {
  group: string
  access: AccessLevel
  clientIds: ClientId[] | null
}
/** `clientSecret`: not said, that before stays; null: none. */
export interface ProviderBody {
  name: string
  issuer: string
  clientId: string
  clientSecret?: string | null
  scopes: string
  groupsClaim: string
  rules: GroupRule[]
  isOn: boolean
}
export const providerBodySchema = Joi.object<ProviderBody, true>({
  name: Joi.string().trim().min(1).max(60).required(),
  issuer: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .max(500)
    .required(),
  clientId: Joi.string().trim().min(1).max(300).required(),
  clientSecret: Joi.string().max(1000).allow(null),
  scopes: Joi.string()
    .trim()
    .pattern(/\bopenid\b/)
    .max(300)
    .required(),
  groupsClaim: Joi.string().trim().min(1).max(200).required(),
  rules: Joi.array()
    .items(
      Joi.object<GroupRule, true>({
        group: Joi.string().trim().min(1).max(300).required(),
        access: Joi.string()
          .valid(...accessLevels)
          .required(),
        clientIds: Joi.array().items(aNumber).min(1).max(5000).unique().allow(null).required(),
      }),
    )
    .max(100)
    .required(),
  isOn: Joi.boolean().required(),
})

export type ProviderView = Omit<ProviderBody, 'clientSecret'> & {
  hasSecret: boolean
  /** Where the provider sends people back: it wants to know. */
  redirectUri: string
}
export interface ProviderSetting {
  provider: ProviderView | null
  redirectUri: string
}
export const providerSettingSchema = answerOf<ProviderSetting>({
  provider: answerOf<ProviderView>({
    name: words,
    issuer: words,
    clientId: words,
    scopes: words,
    groupsClaim: words,
    rules: listOf(
      answerOf<GroupRule>({
        group: words,
        access: Joi.string().valid(...accessLevels),
        clientIds: listOf(aNumber).allow(null),
      }),
    ),
    isOn: Joi.boolean(),
    hasSecret: Joi.boolean(),
    redirectUri: words,
  }).allow(null),
  redirectUri: words,
})
/** How one can sign in here; null: by password alone. */
export interface SignInWays {
  provider: string | null
}
export const signInWaysSchema = answerOf<SignInWays>({ provider: words.allow(null) })
export interface ProviderQuery {
  to?: string
}
export const providerQuerySchema = Joi.object<ProviderQuery, true>({ to: Joi.string().max(500) })
