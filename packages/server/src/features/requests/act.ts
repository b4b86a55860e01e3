import type { RequestAct, RequestPage, RequestPlacing, RequestSubject } from '#contract'
import type { ClientId, Millis } from '#core'
import { firstRow, time, type Db } from '../../db'
import { addRequestEntry, announceRequest, type NewRequestEntry } from '../../engine'
import { ProblemError } from '../../http/problems'
import { audit, ofClients, requireClient, requireColleague, requireLater, type Viewer } from '../access'
import { requestPage } from './views'

export interface Taken {
  id: number
  client_id: ClientId | null
  status: 'open' | 'taken' | 'closed'
  subject: string
  from_address: string
  taken_by: number | null
  offered_to: number | null
}

/** One that the viewer may see, locked. @throws ProblemError no-such-request */
export async function takeRequest(tx: Db, viewer: Viewer, id: number): Promise<Taken> {
  const request = await firstRow<Taken>(
    tx,
    `select id, client_id, status, subject, from_address, taken_by, offered_to from request
     where id = $1 and ${ofClients('client_id', 2)} for update`,
    [id, viewer.clientIds],
  )
  if (!request) throw new ProblemError('no-such-request')
  return request
}

type Entry = Pick<NewRequestEntry, 'event' | 'text' | 'detail'>

const isNobodys = `status = 'open', taken_by = null, taken_at = null, offered_to = null, offered_by = null, offered_word = ''`

/** Does it, and returns what is written down of it. */
async function carryOut(tx: Db, request: Taken, act: RequestAct, viewer: Viewer, now: Millis): Promise<Entry> {
  const set = (sql: string, values: unknown[] = []) =>
    tx.query(`update request set ${sql} where id = $1`, [request.id, ...values])
  switch (act.do) {
    case 'take':
      await set(
        `status = 'taken', taken_by = $2, taken_at = now(), offered_to = null, offered_by = null, offered_word = '',
         hidden_until = null`,
        [viewer.id],
      )
      return { event: 'taken' }
    case 'give-back':
      await set(isNobodys)
      return { event: 'given-back' }
    case 'hand-over': {
      const person = await requireColleague(tx, act.personId, request.client_id, 'requests')
      await set('offered_to = $2, offered_by = $3, offered_word = $4, hidden_until = null', [
        person.id,
        viewer.id,
        act.text.slice(0, 500),
      ])
      return { event: 'handed-over', text: act.text.slice(0, 500), detail: { name: person.name } }
    }
    case 'decline':
      if (request.offered_to !== viewer.id)
        throw new ProblemError('invalid', 'It was not handed to you, or you have answered already.')
      await set(`offered_to = null, offered_by = null, offered_word = ''`)
      return { event: 'declined', text: act.text }
    case 'hide': {
      const until = requireLater(act.until, now)
      await set('hidden_until = $2', [time(until)])
      return { event: 'hidden', text: act.text, detail: { until } }
    }
    case 'show':
      await set('hidden_until = null')
      return { event: 'shown' }
    case 'note':
      if (!act.text) throw new ProblemError('invalid', 'Write the note.', [{ at: 'text', message: 'is empty' }])
      return { event: 'note', text: act.text }
    case 'close':
      await set(
        `status = 'closed', closed_at = now(), offered_to = null, offered_by = null, offered_word = '', hidden_until = null`,
      )
      return { event: 'closed', text: act.text }
    case 'reopen':
      if (request.status !== 'closed') throw new ProblemError('invalid', 'It is open already.')
      await set(`${isNobodys}, closed_at = null`)
      return { event: 'reopened', text: act.text }
  }
}

/** Writes down what was done: at the request, in the trail, and to the browsers. */
export async function done(tx: Db, viewer: Viewer, request: Taken, entry: Omit<NewRequestEntry, 'at'>): Promise<void> {
  await addRequestEntry(tx, request.id, { at: Date.now(), personId: viewer.id, ...entry })
  await audit(tx, {
    personId: viewer.id,
    action: entry.event,
    kind: 'request',
    id: request.id,
    clientId: request.client_id,
    detail: { name: request.subject },
  })
  announceRequest(tx, request.client_id)
}

export async function actOnRequest(tx: Db, viewer: Viewer, id: number, act: RequestAct): Promise<RequestPage> {
  const request = await takeRequest(tx, viewer, id)
  if (request.status === 'closed' && act.do !== 'reopen' && act.do !== 'note')
    throw new ProblemError('invalid', 'This request is closed. Open it again first.')
  await done(tx, viewer, request, await carryOut(tx, request, act, viewer, Date.now()))
  return requestPage(tx, viewer, id)
}

/** Says whose it is, of one that is nobody’s yet or was taken for another’s. */
export async function placeRequest(
  tx: Db,
  viewer: Viewer,
  id: number,
  { clientId, remember }: RequestPlacing,
): Promise<RequestPage> {
  const request = await takeRequest(tx, viewer, id)
  requireClient(viewer, clientId)
  const client = await firstRow<{ name: string }>(tx, 'select name from client where id = $1 and retired_at is null', [
    clientId,
  ])
  if (!client) throw new ProblemError('no-such-client')
  // What it was joined to is the other client’s; so may be whoever has it.
  await tx.query(
    `update request set client_id = $2,
       alert_id = case when client_id is not distinct from $2 then alert_id end,
       device_id = case when client_id is not distinct from $2 then device_id end,
       offered_to = null, offered_by = null, offered_word = '' where id = $1`,
    [id, clientId],
  )
  if (remember)
    await tx.query(
      `insert into contact (client_id, name, email) select $1, coalesce(nullif(from_name, ''), from_address), from_address
       from request where id = $2 and from_address <> ''
         and not exists (select from contact where client_id = $1 and lower(email) = lower(request.from_address))`,
      [clientId, id],
    )
  announceRequest(tx, request.client_id)
  await done(tx, viewer, { ...request, client_id: clientId }, { event: 'placed', detail: { name: client.name } })
  return requestPage(tx, viewer, id)
}

/** Says which alert or device it is about: one of the same client. */
export async function joinRequest(tx: Db, viewer: Viewer, id: number, about: RequestSubject): Promise<RequestPage> {
  const request = await takeRequest(tx, viewer, id)
  const found = await firstRow<{ alert_id: number | null; device_id: number | null; name: string }>(
    tx,
    `
    select a.id as alert_id, coalesce(d.id, a.device_id) as device_id,
      concat_ws(': ', coalesce(d.name, e.name), a.rule->>'name') as name
    from (select $1::bigint as alert, $2::int as device) u
    left join alert a on a.id = u.alert and a.client_id = $3
    left join device d on d.id = u.device and d.client_id = $3
    left join device e on e.id = a.device_id
    where (u.alert is null or a.id is not null) and (u.device is null or d.id is not null)`,
    [about.alertId, about.deviceId, request.client_id],
  )
  if (!found) throw new ProblemError(about.alertId === null ? 'no-such-device' : 'no-such-alert')
  await tx.query('update request set alert_id = $2, device_id = $3 where id = $1', [
    id,
    found.alert_id,
    found.device_id,
  ])
  await done(tx, viewer, request, { event: 'joined', detail: { name: found.name } })
  return requestPage(tx, viewer, id)
}
