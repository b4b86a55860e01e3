import Joi from 'joi'
import type { Millis } from '#core'
import { answerOf, count, instant, listOf, words } from './answer'

/** What waits to be done. */
export const queueNames = ['messages', 'callouts', 'settling', 'tasks', 'packing'] as const
export type QueueName = (typeof queueNames)[number]

/**
 * What is not well. `mail-unset`: nobody has said how mail leaves, and rules tell people; `way-fails`: `name` is the
 * way; `messages-failed`: so many did not leave; `mail-closed`: clients’ people write
 * to an address of the house, and no process takes it; `queue-stuck`: `name` waits since long ago; `faults`: so many
 * in the last day; `alone`: no process but this one, where there were more an hour ago.
 */
export const troubleCodes = [
  'mail-unset',
  'way-fails',
  'messages-failed',
  'mail-closed',
  'queue-stuck',
  'faults',
  'alone',
] as const
export type TroubleCode = (typeof troubleCodes)[number]
export interface Trouble {
  code: TroubleCode
  name: string
  since: Millis | null
  count: number
  /** What the other side said, or the program. */
  answer: string
}
export const troublesSchema = listOf(
  answerOf<Trouble>({
    code: Joi.string().valid(...troubleCodes),
    name: words,
    since: instant.allow(null),
    count,
    answer: words,
  }),
)

export interface ServerProcess {
  name: string
  version: string
  startedAt: Millis
  seenAt: Millis
}
export interface ServerFault {
  place: string
  message: string
  times: number
  firstAt: Millis
  lastAt: Millis
}
export interface Health {
  /** How people and machines reach the house. */
  address: string
  processes: ServerProcess[]
  database: { version: string; bytes: number; answersIn: Millis; connections: number; mostConnections: number }
  queues: { name: QueueName; waiting: number; oldestAt: Millis | null }[]
  /** Of the last day, the newest first. */
  faults: ServerFault[]
  troubles: Trouble[]
}
export const healthSchema = answerOf<Health>({
  address: words,
  processes: listOf(answerOf<ServerProcess>({ name: words, version: words, startedAt: instant, seenAt: instant })),
  database: answerOf<Health['database']>({
    version: words,
    bytes: count,
    answersIn: Joi.number(),
    connections: count,
    mostConnections: count,
  }),
  queues: listOf(
    answerOf<Health['queues'][number]>({
      name: Joi.string().valid(...queueNames),
      waiting: count,
      oldestAt: instant.allow(null),
    }),
  ),
  faults: listOf(
    answerOf<ServerFault>({ place: words, message: words, times: count, firstAt: instant, lastAt: instant }),
  ),
  troubles: troublesSchema,
})

export interface Alive {
  status: 'ok'
}
export const aliveSchema = answerOf<Alive>({ status: Joi.string().valid('ok') })

/** How far a house has been set up, from nothing. */
export interface FirstSteps {
  /** How machines and people reach it; only this machine itself where it is loopback. */
  address: string
  isReachable: boolean
  hasFactor: boolean
  hasMail: boolean
  clients: number
  sites: number
  keys: number
  devices: number
  rules: number
}
export const firstStepsSchema = answerOf<FirstSteps>({
  address: words,
  isReachable: Joi.boolean(),
  hasFactor: Joi.boolean(),
  hasMail: Joi.boolean(),
  clients: count,
  sites: count,
  keys: count,
  devices: count,
  rules: count,
})
