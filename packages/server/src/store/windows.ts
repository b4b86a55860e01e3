import type { MaintenanceWindow, Millis, Target, WindowSubject } from '#core'
import { rows, time, type Db } from '../db'

export interface WindowRow {
  id: number
  revision: number
  name: string
  reason: string
  client_id: number | null
  target: Target
  subject: WindowSubject
  from_at: number
  until_at: number | null
  ended_at: number | null
}

export function windowOf(row: WindowRow): MaintenanceWindow {
  return {
    id: row.id,
    name: row.name,
    clientId: row.client_id,
    target: row.target,
    subject: row.subject,
    from: row.from_at,
    until: row.until_at,
    endedAt: row.ended_at,
  }
}

/** Windows that are not over at `since`; null: every window. */
export async function windowsSince(db: Db, since: Millis | null): Promise<MaintenanceWindow[]> {
  const found = await rows<WindowRow>(
    db,
    `
    select * from maintenance_window
    where $1::timestamptz is null or coalesce(least(until_at, ended_at), 'infinity') >= $1
    order by id limit 5000`,
    [time(since)],
  )
  return found.map(windowOf)
}
