import { createHash } from 'node:crypto'
import {
  hour,
  mailKind,
  whoWrote,
  type ClientId,
  type KnownAddress,
  type KnownDomain,
  type MailFate,
  type Millis,
} from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { wellFormed } from '../../http/wellFormed'
import { announce } from '../../live'
import { addRequestEntry } from './entries'
import { readMail, type ReadMail } from './readMail'

export interface ComingMail {
  raw: Buffer
  /** Of the envelope; '': none. */
  returnPath: string
}
export interface TakenMail {
  became: MailFate
  requestId: number | null
}

/** More of one sender within an hour is a machine, or somebody who means harm; so many of all that nobody knows. */
const mostOfSender = 20
const mostOfUnknown = 100
/** More than so many within an hour that are nobody’s to answer are not even kept. */
const mostAside = 1000
/** So much is kept of what is set aside. */
const asideBytes = 64 * 1024
/** One after the other: two copies of a mail that come at once are one. */
const lockOfMail = 44

const unread: Omit<ReadMail, 'signs'> = {
  fromName: '',
  fromAddress: '',
  replyTo: '',
  subject: '',
  text: '',
  isCut: false,
  attachments: [],
  messageId: '',
  references: [],
}

/**
 * Takes a mail: it begins a request, goes to one that is there, or is set aside with the reason. Once this returns it
 * is kept. Nobody is answered by it, so that two machines never talk to each other through here.
 *
 * @throws TooMuchMailError; what the database throws: whoever sent it tries again
 */
export async function takeMail(pool: Pool, coming: ComingMail, now: Millis): Promise<TakenMail> {
  // Read before anything is locked: it takes as long as the sender wants it to.
  const mail = await readMail(coming.raw, coming.returnPath).catch(() => null)
  try {
    return await store(pool, coming, mail, now)
  } catch (error) {
    if (mail === null || !isOfTheMail(error)) throw error
    // Asked for again it would come again for ever, and hold up what is behind it.
    return store(pool, coming, null, now)
  }
}

/** It is what stands in the mail that the database does not take: classes 22, 23 and 54 of PostgreSQL’s error codes. */
const isOfTheMail = (error: unknown) => /^(22|23|54)/.test(String((error as { code?: unknown }).code))

/** @param mail null: it could not be read */
function store(pool: Pool, coming: ComingMail, mail: ReadMail | null, now: Millis): Promise<TakenMail> {
  const read = mail ?? { ...unread, fromAddress: wellFormed(coming.returnPath.slice(0, 254)) }
  const digest = digestOf(mail, coming.raw)
  return inTransaction(pool, async (tx) => {
    await tx.query('select pg_advisory_xact_lock($1)', [lockOfMail])
    const known = await firstRow<{ became: MailFate; request_id: number | null }>(
      tx,
      'select became, request_id from request_mail where digest = $1',
      [digest],
    )
    // Whoever sent it did not hear that it was taken.
    if (known) return { became: known.became, requestId: known.request_id }
    const { became, requestId } = mail
      ? await placeOf(tx, mail, coming.raw, now)
      : { became: 'unreadable' as const, requestId: null }
    if (became !== 'request' && requestId === null) await refuseTooMany(tx, now)
    const target = became === 'request' ? await begin(tx, read, now) : requestId
    const mailId = await keep(tx, { digest, requestId: target, became, read, raw: coming.raw, now })
    if (target !== null) await tell(tx, target, became, mailId, read, now)
    return { became, requestId: target }
  })
}

/**
 * By which a mail is known when it comes again: servers add lines to it on its way, so not by all of it. Without a
 * Message-ID it is only what it is.
 */
function digestOf(mail: ReadMail | null, raw: Buffer): Buffer {
  const hash = createHash('sha256')
  if (!mail?.messageId) return hash.update(raw).digest()
  return hash.update(JSON.stringify([mail.messageId, mail.fromAddress, mail.subject, mail.text])).digest()
}

interface Place {
  became: MailFate
  requestId: number | null
}
const aside = (became: MailFate): Place => ({ became, requestId: null })

async function placeOf(tx: Db, mail: ReadMail, raw: Buffer, now: Millis): Promise<Place> {
  const own = await rows<{ address: string }>(
    tx,
    'select unnest(addresses) as address from inbox union select sender from mail_settings',
  )
  const kind = mailKind(
    mail.signs,
    own.map(({ address }) => address),
  )
  if (kind === 'loop' || kind === 'list') return aside(kind)
  if (kind === 'bounce') return { became: 'bounce', requestId: await bounced(tx, raw) }
  const answered = await answeredBy(tx, mail)
  if (kind === 'auto-reply') return { became: 'auto-reply', requestId: answered }
  if (await isFlood(tx, mail.fromAddress, now)) return aside('flood')
  return answered === null ? aside('request') : { became: 'answer', requestId: answered }
}

/** Message-IDs that this server gives: the id of a message, at its own name. */
const ownId = /\b([0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12})@/g

/** The message of ours that a report is about: it holds what it could not deliver (RFC 3462, section 1). */
async function bounced(tx: Db, raw: Buffer): Promise<number | null> {
  const text = raw.subarray(0, 500_000).toString('latin1')
  const ids = [...new Set([...text.matchAll(ownId)].map((found) => found[1]!))].slice(0, 20)
  if (!ids.length) return null
  const message = await firstRow<{ id: string; request_id: number | null }>(
    tx,
    `update callout_message m set state = 'failed', answer = 'It came back: the address may be wrong.'
     from (select m.id, e.request_id from callout_message m left join request_entry e on e.message_id = m.id
       where m.id = any($1::uuid[]) and m.webhook_id is null and m.state in ('sent', 'sending')
       order by m.number desc limit 1) u
     where m.id = u.id returning m.id, u.request_id`,
    [ids],
  )
  if (message) announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })
  return message?.request_id ?? null
}

/**
 * The request that a mail answers: by the Message-ID of an answer of ours, which only who got it knows, or of a mail
 * that the same address, or the same client, wrote before.
 */
async function answeredBy(tx: Db, mail: ReadMail): Promise<number | null> {
  if (!mail.references.length) return null
  const ids = [...mail.references.join(' ').matchAll(ownId)].map((found) => found[1]!)
  const byOurs = await firstRow<{ request_id: number }>(
    tx,
    'select request_id from request_entry where message_id = any($1::uuid[]) order by id desc limit 1',
    [ids],
  )
  if (byOurs) return byOurs.request_id
  const clientId = await clientOf(tx, mail.fromAddress)
  const byTheirs = await firstRow<{ request_id: number }>(
    tx,
    `select m.request_id from request_mail m join request r on r.id = m.request_id
     where m.message_id = any($1) and (lower(m.from_address) = lower($2) or r.client_id = $3)
     order by m.id desc limit 1`,
    [mail.references, mail.fromAddress, clientId],
  )
  return byTheirs?.request_id ?? null
}

/** Whose person writes, as far as the address says. */
export async function clientOf(db: Db, address: string): Promise<ClientId | null> {
  const known = await rows<KnownAddress>(
    db,
    `select client_id as "clientId", $1::text as email from contact where lower(email) = lower($1)
     union
     select client_ids[1], $1 from person where cardinality(client_ids) = 1 and access = 'contact'
       and deactivated_at is null and lower($1) in (lower(email), lower(mail_to))`,
    [address],
  )
  const domains = await rows<KnownDomain>(db, 'select id as "clientId", unnest(mail_domains) as domain from client')
  return whoWrote(address, known, domains)
}

async function isFlood(tx: Db, address: string, now: Millis): Promise<boolean> {
  const row = await firstRow<{ own: number; unknown: number }>(
    tx,
    `select (count(*) filter (where lower(m.from_address) = lower($1)))::int as own,
       (count(*) filter (where m.became = 'request' and r.client_id is null))::int as unknown
     from request_mail m left join request r on r.id = m.request_id where m.came_at > $2`,
    [address, time(now - hour)],
  )
  if (row!.own >= mostOfSender) return true
  return row!.unknown >= mostOfUnknown && (await clientOf(tx, address)) === null
}

/** More mail came within an hour than anybody could look through. */
export class TooMuchMailError extends Error {}

/** @throws TooMuchMailError */
async function refuseTooMany(tx: Db, now: Millis): Promise<void> {
  const row = await firstRow<{ many: number }>(
    tx,
    'select count(*)::int as many from request_mail where request_id is null and came_at > $1',
    [time(now - hour)],
  )
  if (row!.many >= mostAside) throw new TooMuchMailError('too much mail')
}

async function begin(tx: Db, mail: Omit<ReadMail, 'signs'>, now: Millis): Promise<number> {
  const row = await firstRow<{ id: number }>(
    tx,
    `insert into request (client_id, subject, from_name, from_address, came_at, last_came_at)
     values ($1, $2, $3, $4, $5, $5) returning id`,
    [await clientOf(tx, mail.fromAddress), mail.subject, mail.fromName, mail.fromAddress, time(now)],
  )
  return row!.id
}

interface Kept {
  digest: Buffer
  requestId: number | null
  became: MailFate
  read: Omit<ReadMail, 'signs'>
  raw: Buffer
  now: Millis
}

async function keep(tx: Db, { digest, requestId, became, read, raw, now }: Kept): Promise<number> {
  const row = await firstRow<{ id: number }>(
    tx,
    `insert into request_mail (request_id, digest, came_at, from_name, from_address, subject, message_id, reply_to,
       became, text, is_cut, attachments, raw)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) returning id`,
    [
      requestId,
      digest,
      time(now),
      read.fromName,
      read.fromAddress,
      read.subject,
      read.messageId,
      read.replyTo,
      became,
      read.text,
      read.isCut,
      JSON.stringify(read.attachments),
      requestId === null ? raw.subarray(0, asideBytes) : raw,
    ],
  )
  return row!.id
}

/** What a mail does to its request. One that is closed is opened again by whoever goes on writing. */
async function tell(
  tx: Db,
  id: number,
  became: MailFate,
  mailId: number,
  mail: Omit<ReadMail, 'signs'>,
  now: Millis,
): Promise<void> {
  const event = became === 'bounce' || became === 'auto-reply' ? became : 'came'
  const request = await firstRow<{ client_id: ClientId | null; status: string }>(
    tx,
    `update request set last_came_at = case when $2 = 'came' then $3 else last_came_at end where id = $1
     returning client_id, status`,
    [id, event, time(now)],
  )
  await addRequestEntry(tx, id, { at: now, event, mailId, detail: { from: mail.fromAddress } })
  if (request!.status === 'closed' && event !== 'auto-reply') {
    await tx.query(
      `update request set status = 'open', closed_at = null, taken_by = null, taken_at = null where id = $1`,
      [id],
    )
    await addRequestEntry(tx, id, { at: now, event: 'reopened' })
  }
  announceRequest(tx, request!.client_id)
}

/** Who sees all clients hears of a request that is of none; a client’s people of theirs. */
export function announceRequest(tx: Db, clientId: ClientId | null): void {
  announce(tx, { topic: 'requests', clientIds: clientId === null ? [] : [clientId], deviceIds: [] })
}
