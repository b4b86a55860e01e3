import Joi from 'joi'
import type { ClientId, DeviceId, Evidence, Millis, SentencePart, Severity, Source } from '#core'

export type AlertStatus = 'open' | 'taken' | 'closed'

/** The rule as it was when the alert was raised. */
export interface AlertRule { name: string; kind: string; sentence: SentencePart[]; sources: Source[] }

export interface AlertView {
  id: number
  deviceId: DeviceId
  deviceName: string
  clientId: ClientId
  clientName: string
  siteName: string
  /** Of the site. */
  zone: string
  watch: string
  instance: string
  severity: Severity
  status: AlertStatus
  began: Millis
  raisedAt: Millis
  closedAt: Millis | null
  closeReason: string | null
  takenBy: string | null
  takenById: number | null
  takenAt: Millis | null
  evidence: Evidence | null
  rule: AlertRule
  /** Set when it came out of this window at its end. */
  windowId: number | null
  windowName: string | null
  notes: number
}

export interface AlertEntry { at: Millis; what: string; by: string | null; text: string }
export interface AlertPage extends AlertView { entries: AlertEntry[] }

export interface HeldView {
  id: number
  windowId: number
  windowName: string
  windowEnd: Millis | null
  deviceId: DeviceId
  deviceName: string
  clientId: ClientId
  clientName: string
  siteName: string
  watch: string
  instance: string
  severity: Severity
  began: Millis
  heldAt: Millis
  endedAt: Millis | null
  outcome: string | null
  alertId: number | null
  evidence: Evidence | null
  rule: AlertRule
}

/** What needs a person, in four groups. */
export interface Rounds { lookedAt: Millis; todo: AlertView[]; working: AlertView[]; held: HeldView[]; settled: AlertView[] }

export interface Looked { looked: boolean }

export interface AlertNote { text: string }
export const alertNoteSchema = Joi.object<AlertNote, true>({ text: Joi.string().trim().min(1).max(4000).required() })
export interface AlertClose { reason: string }
export const alertCloseSchema = Joi.object<AlertClose, true>({ reason: Joi.string().trim().min(3).max(500).required() })
