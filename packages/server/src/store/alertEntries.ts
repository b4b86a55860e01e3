import type { AlertEvent, AlertEventDetail, Millis } from '#core'
import { time, type Db } from '../db'

export interface NewEntry {
  at: Millis
  event: AlertEvent
  detail?: AlertEventDetail
  personId?: number | null
  text?: string
}

/** Adds to what happened to an alert; nothing of it is ever changed. */
export async function addEntry(
  tx: Db,
  alertId: number,
  { at, event, detail = {}, personId = null, text = '' }: NewEntry,
): Promise<void> {
  await tx.query(
    'insert into alert_entry (alert_id, at, event, detail, person_id, text) values ($1, $2, $3, $4, $5, $6)',
    [alertId, time(at), event, JSON.stringify(detail), personId, text],
  )
}
