import Joi from 'joi'
import type { Millis } from '#core'
import { answerOf, count, instant, listOf } from './answer'

/** Kinds of data that grow, as people tell them apart; `log-quiet` are the entries below a warning. */
export const storageKinds = [
  'readings',
  'packed',
  'hours',
  'figures',
  'log',
  'log-quiet',
  'processes',
  'changes',
  'alerts',
  'messages',
  'facts',
  'backlog',
  'enrolments',
  'sweeps',
  'audit',
] as const
export type StorageKind = (typeof storageKinds)[number]
export const storageKindSchema = Joi.string().valid(...storageKinds)

export interface StoredKind {
  kind: StorageKind
  /** With indexes. */
  bytes: number
  /** By the database's own estimate. */
  rows: number
  /** Of the last seven days, or of as many as there are samples; null: there is no earlier one yet. */
  bytesPerDay: number | null
  oldestAt: Millis | null
  days: number
  standardDays: number
  leastDays: number
}
export interface Storage {
  databaseBytes: number
  kinds: StoredKind[]
}
const bytes = Joi.number().integer().min(0)
export const storageSchema = answerOf<Storage>({
  databaseBytes: bytes,
  kinds: listOf(
    answerOf<StoredKind>({
      kind: storageKindSchema,
      bytes,
      rows: count,
      bytesPerDay: Joi.number().allow(null),
      oldestAt: instant.allow(null),
      days: count,
      standardDays: count,
      leastDays: count,
    }),
  ),
})

export interface Retention {
  kind: StorageKind
  days: number
}
export const retentionSchema = Joi.object<Retention, true>({
  kind: storageKindSchema.required(),
  days: Joi.number().integer().min(1).max(36_500).required(),
})

/** What agents may still add to, and what is looked at every day, stays on the server itself. */
export const leastArchiveDays = 62

/** Another PostgreSQL server, on which packed readings and roll-ups of long ago may lie. */
export interface ArchiveServer {
  /** By which the database knows it. */
  name: string
  /** Host and port. */
  address: string
  /** Why it does not answer; null: it does. */
  fault: string | null
  /** What lies there, with indexes; null: nobody knows while it does not answer. */
  bytes: number | null
  /** Of what lies there; null: nothing does. */
  from: Millis | null
  until: Millis | null
}

/** Where what is older goes. */
export interface ArchiveTarget {
  /** null: it stays. */
  server: string | null
  afterDays: number
}
export interface Archives {
  servers: ArchiveServer[]
  target: ArchiveTarget
}
const serverName = Joi.string().max(63)
export const archivesSchema = answerOf<Archives>({
  servers: listOf(
    answerOf<ArchiveServer>({
      name: serverName,
      address: Joi.string().allow(''),
      fault: Joi.string().allow(null),
      bytes: bytes.allow(null),
      from: instant.allow(null),
      until: instant.allow(null),
    }),
  ),
  target: answerOf<ArchiveTarget>({ server: serverName.allow(null), afterDays: count }),
})
export const archiveTargetSchema = Joi.object<ArchiveTarget, true>({
  server: serverName.allow(null).required(),
  afterDays: Joi.number().integer().min(leastArchiveDays).max(36_500).required(),
})

/** What people call each kind. */
export const storageWords: Readonly<Record<StorageKind, string>> = {
  readings: 'Reports as they came',
  packed: 'Readings, packed',
  hours: 'Readings, summed up by the hour',
  figures: 'Readings, a figure a day',
  log: 'Log entries',
  'log-quiet': 'Log entries below a warning',
  processes: 'What used machines most',
  changes: 'Changes of state',
  alerts: 'Closed alerts and what was held',
  messages: 'Messages, and who was told of what',
  facts: 'Earlier facts of devices',
  backlog: 'What updates waited, day by day',
  enrolments: 'Attempts to enrol',
  sweeps: 'Sweeps',
  audit: 'Audit trail',
}
