import type { ClientId, Millis } from '#core'
import Joi from 'joi'
import { answerOf, id, instant, listOf, words } from '../answer'
import { aNumber, aTime } from '../bounds'

/** What people act upon. */
export const auditKinds = [
  'agent update',
  'alert',
  'assignment',
  'calendar feed',
  'call-out',
  'client',
  'collecting',
  'contact',
  'coverage',
  'credential',
  'device',
  'enrolment key',
  'exception',
  'person',
  'request',
  'retention',
  'service',
  'site',
  'standing rule',
  'sweep',
  'team',
  'template',
  'token',
  'wave run',
  'way',
  'window',
] as const
export type AuditKind = (typeof auditKinds)[number]

/** Which lines: of a person, about a client, about a kind of thing or one of it, from a time on and before one. */
export interface AuditQuery {
  person?: number
  client?: ClientId
  kind?: AuditKind
  object?: number
  from?: Millis
  until?: Millis
}
const which = {
  person: aNumber,
  client: aNumber,
  kind: Joi.string().valid(...auditKinds),
  object: aNumber,
  from: aTime,
  until: aTime,
}
export const auditQuerySchema = Joi.object<AuditQuery, true>(which).with('object', 'kind')

/** A part of them, the newest first: those before the last one of the part before. */
export interface AuditPartQuery extends AuditQuery {
  before?: number
  limit: number
}
export const auditPartQuerySchema = Joi.object<AuditPartQuery, true>({
  ...which,
  before: aNumber,
  limit: Joi.number().integer().min(1).max(500).default(100),
}).with('object', 'kind')

/** What was said of a thing, by its name in the API; `before` null: it was not, or is not kept. Long texts are cut. */
export interface AuditChange {
  what: string
  before: string | null
  after: string | null
}
/** One line: who did what to what, when, and from where. `by` null: the server itself. */
export interface AuditLine {
  id: number
  at: Millis
  by: string | null
  action: string
  kind: AuditKind
  objectId: number | null
  /** What it is called now, or was when it was done; empty: it has no name. */
  name: string
  clientName: string | null
  address: string | null
  changes: AuditChange[]
}
export const auditLinesSchema = listOf(
  answerOf<AuditLine>({
    id,
    at: instant,
    by: words.allow(null),
    action: words,
    kind: Joi.string().valid(...auditKinds),
    objectId: id.allow(null),
    name: words,
    clientName: words.allow(null),
    address: words.allow(null),
    changes: listOf(answerOf<AuditChange>({ what: words, before: words.allow(null), after: words.allow(null) })),
  }),
)
