import Joi from 'joi'
import type { ClientId, Millis } from '#core'
import { answerOf, count, instant, listOf, words } from '../answer'
import { aNumber, aTime } from '../bounds'
import { alertViewSchema, heldViewSchema, remediationViewSchema } from './answers'
import type { AlertView, HeldView, RemediationView } from './index'

/**
 * What needs a person, what is being worked on by people and by agents, what windows hold back, and what settled by
 * itself, or was put right by an agent, since the person last looked.
 */
export const roundsGroups = ['todo', 'working', 'remediation', 'held', 'settled', 'remediated'] as const
export type RoundsGroup = (typeof roundsGroups)[number]

/** A part of a group, worst and newest first; `next` says where the one after it begins. */
export interface RoundsPart<Row> {
  rows: Row[]
  /** Of the whole group, as narrowed. */
  total: number
  next: string | null
}
export interface Rounds {
  lookedAt: Millis
  /** Of those to do, how many were raised since then. */
  fresh: number
  todo: RoundsPart<AlertView>
  working: RoundsPart<AlertView>
  remediation: RoundsPart<RemediationView>
  held: RoundsPart<HeldView>
  settled: RoundsPart<AlertView>
  remediated: RoundsPart<RemediationView>
}
export type RoundsRow = AlertView | HeldView | RemediationView

const partOf = <Row>(row: Joi.AnySchema<Row>) =>
  answerOf<RoundsPart<Row>>({ rows: listOf(row), total: count, next: words.allow(null) })
export const roundsSchema = answerOf<Rounds>({
  lookedAt: instant,
  fresh: count,
  todo: partOf(alertViewSchema),
  working: partOf(alertViewSchema),
  remediation: partOf(remediationViewSchema),
  held: partOf(heldViewSchema),
  settled: partOf(alertViewSchema),
  remediated: partOf(remediationViewSchema),
})
export const roundsPartSchema = answerOf<RoundsPart<RoundsRow>>({
  rows: listOf(Joi.alternatives<RoundsRow>(alertViewSchema, heldViewSchema, remediationViewSchema)),
  total: count,
  next: words.allow(null),
})

/** What the groups are narrowed to. */
export interface RoundsQuery {
  client?: ClientId
  /** Only what went on at some moment between these. */
  from?: Millis
  until?: Millis
  /** A part of the name of the device, its client, the watch, or what it is about. */
  words?: string
  /** Rows of each group; none: only the counts. */
  limit: number
}
const narrowed = {
  client: aNumber,
  from: aTime,
  until: aTime,
  words: Joi.string().allow('').max(100),
  limit: Joi.number().integer().min(0).max(500).default(60),
}
export const roundsQuerySchema = Joi.object<RoundsQuery, true>(narrowed)
export interface RoundsPartQuery extends RoundsQuery {
  group: RoundsGroup
  after?: string
}
export const roundsPartQuerySchema = Joi.object<RoundsPartQuery, true>({
  ...narrowed,
  group: Joi.string()
    .valid(...roundsGroups)
    .required(),
  after: Joi.string().max(200),
})

export interface TodoCount {
  todo: number
}
export const todoCountSchema = answerOf<TodoCount>({ todo: count })
export interface TodoQuery {
  client?: ClientId
}
export const todoQuerySchema = Joi.object<TodoQuery, true>({ client: aNumber })
