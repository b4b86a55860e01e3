import Joi from 'joi'
import type { Millis } from '#core'
import { answerOf, count, instant, listOf } from './answer'

/** Kinds of data that grow, as people tell them apart; `log-quiet` are the entries below a warning. */
export const storageKinds = [
  'readings',
  'packed',
  'hours',
  'log',
  'log-quiet',
  'changes',
  'alerts',
  'messages',
  'facts',
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

/** What people call each kind. */
export const storageWords: Readonly<Record<StorageKind, string>> = {
  readings: 'Reports as they came',
  packed: 'Readings, packed',
  hours: 'Readings, summed up by the hour',
  log: 'Log entries',
  'log-quiet': 'Log entries below a warning',
  changes: 'Changes of state',
  alerts: 'Closed alerts and what was held',
  messages: 'Messages, and who was told of what',
  facts: 'Earlier facts of devices',
  enrolments: 'Attempts to enrol',
  sweeps: 'Sweeps',
  audit: 'Audit trail',
}
