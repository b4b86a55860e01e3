import Joi from 'joi'
import { day, severities, subjects, type ClientId, type Millis, type Severity, type Subject } from '#core'
import { answerOf, count, instant, listOf, words } from '../answer'
import { aNumber, aTime } from '../bounds'
import { alertViewSchema, heldViewSchema, remediationViewSchema } from './answers'
import type { AlertView, HeldView, RemediationView } from './index'

/**
 * What needs a person, what is being worked on by people and by agents, what windows hold back, and what settled by
 * itself, was put right by an agent, or was closed by hand, since a time: that at which the person last looked, if none
 * is given.
 */
export const roundsGroups = ['todo', 'working', 'remediation', 'held', 'settled', 'remediated', 'dismissed'] as const
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
  /** Since when what is over is told. */
  since: Millis
  /** Of those to do, how many were raised since then. */
  fresh: number
  todo: RoundsPart<AlertView>
  working: RoundsPart<AlertView>
  remediation: RoundsPart<RemediationView>
  held: RoundsPart<HeldView>
  settled: RoundsPart<AlertView>
  remediated: RoundsPart<RemediationView>
  dismissed: RoundsPart<AlertView>
}
export type RoundsRow = AlertView | HeldView | RemediationView

const partOf = <Row>(row: Joi.AnySchema<Row>) =>
  answerOf<RoundsPart<Row>>({ rows: listOf(row), total: count, next: words.allow(null) })
export const roundsSchema = answerOf<Rounds>({
  lookedAt: instant,
  since: instant,
  fresh: count,
  todo: partOf(alertViewSchema),
  working: partOf(alertViewSchema),
  remediation: partOf(remediationViewSchema),
  held: partOf(heldViewSchema),
  settled: partOf(alertViewSchema),
  remediated: partOf(remediationViewSchema),
  dismissed: partOf(alertViewSchema),
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
  severity?: Severity
  /** Of watches about it; a silent site is of *silence*. */
  family?: Subject
  /** That have failed for so long, at least. */
  age?: Millis
  /** That this person has, or was handed. */
  who?: number
  /** What is over is told since then. */
  since?: Millis
  /** Rows of each group; none: only the counts. */
  limit: number
}
const narrowed = {
  client: aNumber,
  from: aTime,
  until: aTime,
  words: Joi.string().allow('').max(100),
  severity: Joi.string().valid(...severities),
  family: Joi.string().valid(...subjects),
  age: Joi.number()
    .integer()
    .min(0)
    .max(400 * day),
  who: aNumber,
  since: aTime,
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
