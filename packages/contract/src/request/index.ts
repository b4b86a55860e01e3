import {
  mailFates,
  requestEvents,
  type ClientId,
  type DeviceId,
  type MailFate,
  type Millis,
  type RequestEvent,
} from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber, aTime } from '../bounds'
import { messageStates, type MessageState } from '../callout/ways'

export const requestStatuses = ['open', 'taken', 'closed'] as const
export type RequestStatus = (typeof requestStatuses)[number]

/** What somebody at a client asked by mail. */
export interface RequestView {
  id: number
  subject: string
  fromName: string
  fromAddress: string
  /** Null, and no name: nobody has said yet whose it is. */
  clientId: ClientId | null
  clientName: string
  status: RequestStatus
  cameAt: Millis
  lastCameAt: Millis
  answeredAt: Millis | null
  takenBy: string | null
  takenById: number | null
  offeredTo: string | null
  offeredToId: number | null
  offeredBy: string | null
  offeredWord: string
  hiddenUntil: Millis | null
  closedAt: Millis | null
  /** Mails of theirs. */
  mails: number
}
export interface RequestPart {
  rows: RequestView[]
  total: number
  /** Where the part after it begins. */
  next: string | null
}
const view = {
  id,
  subject: words,
  fromName: words,
  fromAddress: words,
  clientId: id.allow(null),
  clientName: words,
  status: Joi.string().valid(...requestStatuses),
  cameAt: instant,
  lastCameAt: instant,
  answeredAt: instant.allow(null),
  takenBy: words.allow(null),
  takenById: id.allow(null),
  offeredTo: words.allow(null),
  offeredToId: id.allow(null),
  offeredBy: words.allow(null),
  offeredWord: words,
  hiddenUntil: instant.allow(null),
  closedAt: instant.allow(null),
  mails: count,
}
export const requestViewSchema = answerOf<RequestView>(view)
export const requestPartSchema = answerOf<RequestPart>({
  rows: listOf(requestViewSchema),
  total: count,
  next: words.allow(null),
})

/** `open`: nobody has it; `taken`: somebody does, or it is put off; `closed`: the newest first. */
export interface RequestsQuery {
  status: RequestStatus
  client?: ClientId
  /** A part of the subject, or of who wrote. */
  words?: string
  /** Of *closed*: since then. */
  since?: Millis
  who?: number
  device?: DeviceId
  alert?: number
  after?: string
  limit: number
}
export const requestsQuerySchema = Joi.object<RequestsQuery, true>({
  status: Joi.string()
    .valid(...requestStatuses)
    .default('open'),
  client: aNumber,
  words: Joi.string().allow('').max(100),
  since: aTime,
  who: aNumber,
  device: aNumber,
  alert: aNumber,
  after: Joi.string().pattern(/^-?\d{1,15}_\d{1,15}$/),
  limit: Joi.number().integer().min(0).max(500).default(60),
})

export interface RequestMail {
  id: number
  became: MailFate
  fromName: string
  fromAddress: string
  subject: string
  text: string
  /** There is more of it in the mail itself. */
  isCut: boolean
  attachments: { name: string; type: string; bytes: number }[]
}
export interface RequestEntry {
  at: Millis
  event: RequestEvent
  by: string | null
  text: string
  /** To whom it was handed; what it was joined to; whose it is. */
  name: string
  until: Millis | null
  mail: RequestMail | null
  /** What became of an answer. */
  left: { state: MessageState; to: string; sentAt: Millis | null; answer: string } | null
}
export interface RequestPage extends RequestView {
  alertId: number | null
  alertText: string
  deviceId: DeviceId | null
  deviceName: string
  entries: RequestEntry[]
  /** Clocks of the client’s first site. */
  zone: string
  /** The address that an answer goes to. */
  answersTo: string
  /** Whoever asks, where the client knows them by this address. */
  contact: { name: string; phone: string; note: string } | null
}
const mail = answerOf<RequestMail>({
  id,
  became: Joi.string().valid(...mailFates),
  fromName: words,
  fromAddress: words,
  subject: words,
  text: words,
  isCut: Joi.boolean(),
  attachments: listOf(answerOf<RequestMail['attachments'][number]>({ name: words, type: words, bytes: count })),
})
export const requestPageSchema = answerOf<RequestPage>({
  ...view,
  alertId: id.allow(null),
  alertText: words,
  deviceId: id.allow(null),
  deviceName: words,
  zone: words,
  answersTo: words,
  contact: answerOf<NonNullable<RequestPage['contact']>>({ name: words, phone: words, note: words }).allow(null),
  entries: listOf(
    answerOf<RequestEntry>({
      at: instant,
      event: Joi.string().valid(...requestEvents),
      by: words.allow(null),
      text: words,
      name: words,
      until: instant.allow(null),
      mail: mail.allow(null),
      left: answerOf<NonNullable<RequestEntry['left']>>({
        state: Joi.string().valid(...messageStates),
        to: words,
        sentAt: instant.allow(null),
        answer: words,
      }).allow(null),
    }),
  ),
})

/** What people do with a request. */
export const requestActs = [
  'take',
  'give-back',
  'hand-over',
  'decline',
  'hide',
  'show',
  'note',
  'close',
  'reopen',
] as const
export interface RequestAct {
  do: (typeof requestActs)[number]
  text: string
  personId?: number
  until?: Millis
}
const longText = Joi.string().allow('').trim().max(2000)
export const requestActSchema = Joi.object<RequestAct, true>({
  do: Joi.string()
    .valid(...requestActs)
    .required(),
  text: longText.default(''),
  personId: aNumber,
  until: aTime,
})
/** An answer by mail to whoever asked. */
export interface RequestAnswer {
  text: string
  /** It is done with that. */
  close: boolean
}
export const requestAnswerSchema = Joi.object<RequestAnswer, true>({
  text: Joi.string().trim().min(1).max(20_000).required(),
  close: Joi.boolean().default(false),
})
/** What somebody says by telephone, or a program reports. `key`: said again while it is open, it is not a new one. */
export interface NewRequest {
  clientId: ClientId
  deviceId: DeviceId | null
  subject: string
  text: string
  key?: string
}
export const newRequestSchema = Joi.object<NewRequest, true>({
  clientId: aNumber.required(),
  deviceId: aNumber.allow(null).default(null),
  subject: Joi.string().trim().min(1).max(300).required(),
  text: Joi.string().allow('').trim().max(20_000).default(''),
  key: Joi.string().min(1).max(200),
})
/** Whose it is; their address is remembered with it if wanted. */
export interface RequestPlacing {
  clientId: ClientId
  remember: boolean
}
export const requestPlacingSchema = Joi.object<RequestPlacing, true>({
  clientId: aNumber.required(),
  remember: Joi.boolean().default(false),
})
/** What it is about; null: nothing of these. */
export interface RequestSubject {
  alertId: number | null
  deviceId: DeviceId | null
}
export const requestSubjectSchema = Joi.object<RequestSubject, true>({
  alertId: aNumber.allow(null).default(null),
  deviceId: aNumber.allow(null).default(null),
})
/** Without a number: the mail itself, as it came. */
export interface RequestFileQuery {
  n?: number
}
export const requestFileQuerySchema = Joi.object<RequestFileQuery, true>({ n: Joi.number().integer().min(0).max(1000) })

/** A mail that became no request, and why. */
export interface MailAside {
  id: number
  cameAt: Millis
  became: MailFate
  fromName: string
  fromAddress: string
  subject: string
  text: string
}
export const mailAsideSchema = listOf(
  answerOf<MailAside>({
    id,
    cameAt: instant,
    became: Joi.string().valid(...mailFates),
    fromName: words,
    fromAddress: words,
    subject: words,
    text: words,
  }),
)
/** For which addresses mail is taken; none: for no one. */
export interface InboxBody {
  addresses: string[]
}
export const inboxBodySchema = Joi.object<InboxBody, true>({
  addresses: Joi.array()
    .items(Joi.string().trim().email({ tlds: false }).max(200))
    .unique((a: unknown, b: unknown) => String(a).toLowerCase() === String(b).toLowerCase())
    .max(20)
    .required(),
})
export interface Inbox extends InboxBody {
  /** Server processes that take mail, each with its port. */
  ports: { name: string; port: number }[]
  lastCameAt: Millis | null
  /** Set aside within the last 14 days. */
  aside: number
}
export const inboxSchema = answerOf<Inbox>({
  addresses: listOf(words),
  ports: listOf(answerOf<Inbox['ports'][number]>({ name: words, port: count })),
  lastCameAt: instant.allow(null),
  aside: count,
})
