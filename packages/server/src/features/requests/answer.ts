import type { RequestAnswer, RequestPage } from '#contract'
import { DateTime } from 'luxon'
import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import type { Viewer } from '../access'
import { actOnRequest, done, takeRequest } from './act'
import { requestPage } from './views'

interface LastMail {
  message_id: string
  from_name: string
  from_address: string
  reply_to: string
  subject: string
  text: string
  came_at: number
  zone: string
}

/** Of what they wrote so much stands below the answer. */
const quotedLines = 60

/** RFC 5322, section 3.6.5: “Re: ”, once. */
const replySubject = (subject: string) => (/^re:/i.test(subject) ? subject : `Re: ${subject || 'your mail'}`)

function quoted({ from_name, from_address, text, came_at, zone }: LastMail): string {
  const lines = text.split('\n')
  const at = DateTime.fromMillis(came_at, { zone }).setLocale('en-GB').toFormat('ccc d LLL yyyy HH:mm ZZZZ')
  return [
    `On ${at}, ${from_name || from_address} wrote:`,
    ...lines.slice(0, quotedLines).map((line) => `> ${line.slice(0, 500)}`),
    ...(lines.length > quotedLines ? ['> …'] : []),
  ].join('\n')
}

/**
 * Answers by mail whoever wrote last, where they want it, from the first address of the house. It waits in the outbox
 * until it leaves, and whoever answers has the request.
 */
export async function answerRequest(
  tx: Db,
  viewer: Viewer,
  id: number,
  { text, close }: RequestAnswer,
): Promise<RequestPage> {
  const request = await takeRequest(tx, viewer, id)
  const inbox = await firstRow<{ address: string }>(
    tx,
    'select addresses[1] as address from inbox where exists (select from mail_settings)',
  )
  if (!inbox)
    throw new ProblemError(
      'invalid',
      'No answer can leave: the house has no mail server, or no address of its own. A lead says both in Setup, Mail and webhooks.',
    )
  const last = await firstRow<LastMail>(
    tx,
    `select m.message_id, m.from_name, m.from_address, m.reply_to, m.subject, m.text, m.came_at,
       coalesce((select zone from site s where s.client_id = r.client_id order by s.id limit 1), 'UTC') as zone
     from request_mail m join request r on r.id = m.request_id
     where m.request_id = $1 and m.became in ('request', 'answer') order by m.id desc limit 1`,
    [id],
  )
  const to = last?.reply_to || last?.from_address || request.from_address
  // It is written into the envelope of a mail: only what is an address may be.
  if (!last || !/^[^\s<>@]+@[^\s<>@]+$/.test(to))
    throw new ProblemError('invalid', 'Whoever wrote left no address that an answer could go to.')
  const mail = {
    subject: replySubject(last.subject),
    text: `${text}\n\n${viewer.name}\n\n${quoted(last)}\n`,
    html: '',
    references: [],
    answers: {
      from: inbox.address,
      inReplyTo: last.message_id && `<${last.message_id}>`,
      references: await thread(tx, id),
    },
  }
  const message = await firstRow<{ id: string }>(
    tx,
    `insert into callout_message (mail_to, kind, state, leaves_at, content) values ($1, 'answer', 'waiting', now(), $2)
     returning id`,
    [to, JSON.stringify({ mail })],
  )
  const takes = request.taken_by === null || request.status !== 'taken'
  await tx.query(
    `update request set answered_at = now(), hidden_until = null, offered_to = null, offered_by = null, offered_word = '',
       status = 'taken', closed_at = null, taken_by = case when $2 then $3 else taken_by end,
       taken_at = case when $2 then now() else taken_at end where id = $1`,
    [id, takes, viewer.id],
  )
  if (request.status === 'closed') await done(tx, viewer, request, { event: 'reopened' })
  if (takes) await done(tx, viewer, request, { event: 'taken' })
  await done(tx, viewer, request, { event: 'answered', text, messageId: message!.id })
  return close ? actOnRequest(tx, viewer, id, { do: 'close', text: '' }) : requestPage(tx, viewer, id)
}

/** Message-IDs of what they wrote, so that their reader puts it all together; the newest, as far as a header goes. */
async function thread(tx: Db, id: number): Promise<string[]> {
  const row = await firstRow<{ ids: string[] | null }>(
    tx,
    `select array_agg('<' || message_id || '>' order by id) as ids from (
       select id, message_id from request_mail where request_id = $1 and message_id <> '' order by id desc limit 10) m`,
    [id],
  )
  return row!.ids ?? []
}
