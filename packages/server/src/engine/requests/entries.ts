import type { Millis, RequestEvent } from '#core'
import { time, type Db } from '../../db'

export interface NewRequestEntry {
  at: Millis
  event: RequestEvent
  personId?: number | null
  text?: string
  detail?: object
  mailId?: number | null
  messageId?: string | null
}

/** Adds to what happened to a request; nothing of it is ever changed. */
export async function addRequestEntry(
  tx: Db,
  requestId: number,
  { at, event, personId = null, text = '', detail = {}, mailId = null, messageId = null }: NewRequestEntry,
): Promise<void> {
  await tx.query(
    `insert into request_entry (request_id, at, event, person_id, text, detail, mail_id, message_id)
     values ($1, $2, $3, $4, $5, $6, $7, $8)`,
    [requestId, time(at), event, personId, text, JSON.stringify(detail), mailId, messageId],
  )
}
