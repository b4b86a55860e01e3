import Joi from 'joi'
import { calloutSteps, severities, type CalloutStepKind, type Millis, type Severity } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber } from '../bounds'

export const mailSecurities = ['tls', 'starttls', 'none'] as const
export type MailSecurity = (typeof mailSecurities)[number]

/** How mail leaves. `password`: not said, that before stays; null: none. */
export interface MailBody {
  host: string
  port: number
  security: MailSecurity
  username: string
  password?: string | null
  sender: string
}
export const mailBodySchema = Joi.object<MailBody, true>({
  host: Joi.string().trim().hostname().max(200).required(),
  port: Joi.number().integer().min(1).max(65_535).required(),
  security: Joi.string()
    .valid(...mailSecurities)
    .required(),
  username: Joi.string().allow('').max(200).required(),
  password: Joi.string().max(500).allow(null),
  sender: Joi.string().email({ tlds: false }).max(200).required(),
})
export interface GatheringBody {
  gather: Millis
  mostAnHour: number
}
export const gatheringBodySchema = Joi.object<GatheringBody, true>({
  gather: Joi.number().integer().min(0).max(600_000).required(),
  mostAnHour: Joi.number().integer().min(2).max(1000).required(),
})
export interface WebhookBody {
  name: string
  url: string
}
export const webhookBodySchema = Joi.object<WebhookBody, true>({
  name: Joi.string().trim().min(1).max(60).required(),
  url: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .max(1000)
    .required(),
})

/** How a way does: since when it fails, and what the other side said last. */
export interface WayState {
  failingSince: Millis | null
  answer: string
  answeredAt: Millis | null
  waiting: number
  failed: number
}
export interface WebhookView extends WayState {
  id: number
  name: string
  url: string
}
export interface Ways {
  mail: (Omit<MailBody, 'password'> & { hasPassword: boolean }) | null
  mailState: WayState
  webhooks: WebhookView[]
  gathering: GatheringBody
}
const state = {
  failingSince: instant.allow(null),
  answer: words,
  answeredAt: instant.allow(null),
  waiting: count,
  failed: count,
}
export const waysSchema = answerOf<Ways>({
  mail: answerOf<NonNullable<Ways['mail']>>({
    host: words,
    port: count,
    security: Joi.string().valid(...mailSecurities),
    username: words,
    sender: words,
    hasPassword: Joi.boolean(),
  }).allow(null),
  mailState: answerOf<WayState>(state),
  webhooks: listOf(answerOf<WebhookView>({ id, name: words, url: words, ...state })),
  gathering: answerOf<GatheringBody>({ gather: count, mostAnHour: count }),
})
export interface WebhookNamed {
  id: number
  name: string
}
export const webhooksNamedSchema = listOf(answerOf<WebhookNamed>({ id, name: words }))
/** The secret is told once, when it is made. */
export interface MadeWebhook {
  id: number
  secret: string
}
export const madeWebhookSchema = answerOf<MadeWebhook>({ id, secret: words })

/** What the other side said to a message that says only that it is a test. */
export interface WayTested {
  isWell: boolean
  answer: string
}
export const wayTestedSchema = answerOf<WayTested>({ isWell: Joi.boolean(), answer: words })

export const messageStates = ['gathering', 'waiting', 'sending', 'sent', 'failed', 'dropped'] as const
export type MessageState = (typeof messageStates)[number]

/** A message, and what it tells. */
export interface MessageView {
  number: number
  to: string
  way: 'mail' | 'webhook'
  state: MessageState
  createdAt: Millis
  sentAt: Millis | null
  /** What comes next, of one that has not left. */
  nextAt: Millis | null
  attempts: number
  answer: string
  subject: string
  alerts: number
}
export const messagesSchema = listOf(
  answerOf<MessageView>({
    number: id,
    to: words,
    way: Joi.string().valid('mail', 'webhook'),
    state: Joi.string().valid(...messageStates),
    createdAt: instant,
    sentAt: instant.allow(null),
    nextAt: instant.allow(null),
    attempts: count,
    answer: words,
    subject: words,
    alerts: count,
  }),
)
export interface MessagesQuery {
  state?: 'failed' | 'waiting'
  before?: number
  limit: number
}
export const messagesQuerySchema = Joi.object<MessagesQuery, true>({
  state: Joi.string().valid('failed', 'waiting'),
  before: aNumber,
  limit: Joi.number().integer().min(1).max(500).default(100),
})
export interface Resent {
  again: number
}
export const resentSchema = answerOf<Resent>({ again: count })

/** What was said about an alert, and what is to be said next if nothing happens. */
export interface AlertCallouts {
  said: AlertSaid[]
  next: { at: Millis; step: CalloutStepKind; rule: string; to: string }[]
}
export interface AlertSaid {
  at: Millis
  step: CalloutStepKind
  severity: Severity
  rule: string
  /** Whom, and what became of the message. */
  to: { name: string; state: MessageState; wasOver: boolean; sentAt: Millis | null; answer: string }[]
}
const step = Joi.string().valid(...calloutSteps)
export const alertCalloutsSchema = answerOf<AlertCallouts>({
  said: listOf(
    answerOf<AlertSaid>({
      at: instant,
      step,
      severity: Joi.string().valid(...severities),
      rule: words,
      to: listOf(
        answerOf<AlertSaid['to'][number]>({
          name: words,
          state: Joi.string().valid(...messageStates),
          wasOver: Joi.boolean(),
          sentAt: instant.allow(null),
          answer: words,
        }),
      ),
    }),
  ),
  next: listOf(answerOf<AlertCallouts['next'][number]>({ at: instant, step, rule: words, to: words })),
})
