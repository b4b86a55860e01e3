import type { Inbox, InboxBody, MailAside, RequestPage } from '#contract'
import { firstRow, rows, type Db } from '../../db'
import { addRequestEntry, announceRequest, clientOf } from '../../engine'
import { ProblemError } from '../../http/problems'
import { audit, mayChangeAll, type Viewer } from '../access'
import { requestPage } from './views'

/** How mail comes in is the whole house’s. @throws ProblemError not-allowed */
export function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer))
    throw new ProblemError('not-allowed', 'How mail comes in is a matter of a lead of all clients.')
}

export async function readInbox(db: Db): Promise<Inbox> {
  const row = await firstRow<Omit<Inbox, 'ports'>>(
    db,
    `select coalesce((select addresses from inbox), '{}') as addresses,
       (select max(came_at) from request_mail) as "lastCameAt",
       (select count(*)::int from request_mail where request_id is null and came_at > now() - interval '14 days') as aside`,
  )
  const ports = await rows<Inbox['ports'][number]>(
    db,
    `select name, mail_port as port from server_process
     where mail_port is not null and seen_at > now() - interval '1 minute' order by name`,
  )
  return { ...row!, ports }
}

export async function saveInbox(tx: Db, viewer: Viewer, { addresses }: InboxBody): Promise<Inbox> {
  requireAll(viewer)
  const was = (await firstRow<InboxBody>(tx, 'select addresses from inbox for update'))?.addresses ?? []
  if (addresses.length)
    await tx.query('insert into inbox (addresses) values ($1) on conflict (one) do update set addresses = $1', [
      addresses,
    ])
  else await tx.query('delete from inbox')
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'way',
    id: null,
    detail: { name: 'mail from clients', addresses, was: { addresses: was } },
  })
  return readInbox(tx)
}

export function mailAside(db: Db, before: number | null, limit: number): Promise<MailAside[]> {
  return rows<MailAside>(
    db,
    `select id, came_at as "cameAt", became, from_name as "fromName", from_address as "fromAddress", subject,
       left(text, 1000) as text
     from request_mail where request_id is null and ($1::bigint is null or id < $1) order by id desc limit $2`,
    [before, limit],
  )
}

/** Somebody thinks otherwise: what was set aside is a request all the same. @throws ProblemError no-such-mail */
export async function requestOf(tx: Db, viewer: Viewer, mailId: number): Promise<RequestPage> {
  requireAll(viewer)
  const mail = await firstRow<{ from_address: string; from_name: string; subject: string }>(
    tx,
    'select from_address, from_name, subject from request_mail where id = $1 and request_id is null for update',
    [mailId],
  )
  if (!mail) throw new ProblemError('no-such-mail')
  const clientId = await clientOf(tx, mail.from_address)
  const request = await firstRow<{ id: number }>(
    tx,
    `insert into request (client_id, subject, from_name, from_address, came_at, last_came_at)
     values ($1, $2, $3, $4, now(), now()) returning id`,
    [clientId, mail.subject, mail.from_name, mail.from_address],
  )
  const { id } = request!
  await tx.query(`update request_mail set request_id = $2, became = 'request' where id = $1`, [mailId, id])
  await addRequestEntry(tx, id, { at: Date.now(), event: 'came', personId: viewer.id, mailId })
  await audit(tx, {
    personId: viewer.id,
    action: 'made',
    kind: 'request',
    id,
    clientId,
    detail: { name: mail.subject },
  })
  announceRequest(tx, clientId)
  return requestPage(tx, viewer, id)
}
