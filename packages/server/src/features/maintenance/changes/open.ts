import type { NewWindow } from '#contract'
import { minute, type Millis } from '#core'
import { instantOf, type Occurrence, type Schedule } from '#core/schedule'
import { firstRow, type Db } from '../../../db'
import { writeOccurrences } from '../../../store/windows'
import { audit, type Viewer } from '../../access'
import { readDraft } from '../draft'
import { requireReach } from '../../policy'
import { addRevision, fieldsOf, requireFuture, requireOwner, takeEffect } from './revise'

export interface Origin {
  continues?: number
  uid?: string
  why?: string
  changed?: readonly Occurrence[]
  more?: readonly Millis[]
}

/** @param pastAllowed a demo has windows in its history */
export async function openWindow(
  tx: Db,
  body: NewWindow,
  viewer: Viewer,
  now: Millis,
  pastAllowed: boolean,
  { continues, uid, why = '', changed = [], more = [] }: Origin = {},
): Promise<{ id: number }> {
  const clientId = await requireReach(tx, viewer, body.target)
  await requireOwner(tx, body.ownerId)
  const draft = await readDraft(tx, body, now)
  const schedule: Schedule = { ...draft.schedule, changed, more }
  const first = instantOf(schedule.starts, schedule.zone)
  if (!pastAllowed && schedule.rule === null) requireFuture(schedule, now)
  const { id } = (await firstRow<{ id: number }>(tx, `select nextval('policy_object_id')::int as id`))!
  const row = await addRevision(
    tx,
    {
      ...fieldsOf(body, schedule, now),
      owner_id: body.ownerId ?? viewer.id,
      id,
      client_id: clientId,
      ended_at: null,
      created_by: viewer.id,
      continues: continues ?? null,
      uid: uid ?? null,
    },
    viewer,
    why,
  )
  // What of a rule lies behind never was.
  const since = schedule.rule === null || pastAllowed ? Math.min(first, ...more) : now - minute
  await writeOccurrences(tx, row, since, now)
  await takeEffect(tx, row, [body.target], now, false)
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'window', id, clientId, detail: { ...body } })
  return { id }
}
