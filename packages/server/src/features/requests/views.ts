import type { RequestEntry, RequestPage, RequestPart, RequestsQuery, RequestView } from '#contract'
import { firstRow, rows, time, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { ofClients, type Viewer } from '../access'

const columns = `
  r.id, r.subject, r.from_name as "fromName", r.from_address as "fromAddress", r.client_id as "clientId",
  coalesce(c.name, '') as "clientName", r.status, r.came_at as "cameAt", r.last_came_at as "lastCameAt",
  r.answered_at as "answeredAt", t.name as "takenBy", r.taken_by as "takenById", o.name as "offeredTo",
  r.offered_to as "offeredToId", b.name as "offeredBy", r.offered_word as "offeredWord",
  r.hidden_until as "hiddenUntil", r.closed_at as "closedAt",
  (select count(*)::int from request_mail m where m.request_id = r.id and m.became in ('request', 'answer')) as mails`
const joined = `
  from request r
  left join client c on c.id = r.client_id
  left join person t on t.id = r.taken_by
  left join person o on o.id = r.offered_to
  left join person b on b.id = r.offered_by`

const isOf: Record<RequestsQuery['status'], string> = {
  open: `r.status = 'open' and r.hidden_until is null`,
  taken: `(r.status = 'taken' or r.status = 'open' and r.hidden_until is not null)`,
  closed: `r.status = 'closed'`,
}

/**
 * A part of them: those that wait the longest first; of those that are over the newest. What is open stands in a
 * partial index, and is as many as people have to answer.
 */
export async function requestPart(db: Db, viewer: Viewer, query: RequestsQuery): Promise<RequestPart> {
  const order = query.status === 'closed' ? '-extract(epoch from r.closed_at)' : 'extract(epoch from r.came_at)'
  const words = query.words?.trim() ? `%${query.words.trim().replace(/[\\%_]/g, '\\$&')}%` : null
  const [afterAt, afterId] = query.after?.split('_').map(Number) ?? [null, null]
  const found = await rows<RequestView & { place: number; total: number }>(
    db,
    `
    with mine as materialized (
      select r.id, floor(${order} * 1000)::float8 as place from request r left join client c on c.id = r.client_id
      where ${isOf[query.status]} and ${ofClients('r.client_id', 1)}
        and ($2::int is null or r.client_id = $2)
        and ($3::text is null or r.subject ilike $3 or r.from_name ilike $3 or r.from_address ilike $3 or c.name ilike $3)
        and ($4::timestamptz is null or r.closed_at > $4)
        and ($5::int is null or r.taken_by = $5 or r.offered_to = $5)
        and ($6::int is null or r.device_id = $6) and ($7::bigint is null or r.alert_id = $7)
    ), part as (
      select * from mine where $8::float8 is null or (place, id) > ($8, $9::bigint) order by place, id limit $10
    )
    select ${columns}, p.place, (select count(*)::int from mine) as total
    ${joined} join part p on p.id = r.id order by p.place, p.id`,
    [
      viewer.clientIds,
      query.client ?? null,
      words,
      time(query.since ?? null),
      query.who ?? null,
      query.device ?? null,
      query.alert ?? null,
      afterAt,
      afterId,
      query.limit + 1,
    ],
  )
  const shown = found.slice(0, Math.max(1, query.limit))
  const last = shown.at(-1)
  return {
    rows: query.limit ? shown.map(({ place: _place, total: _total, ...row }) => row) : [],
    total: found[0]?.total ?? 0,
    next: last && found.length > shown.length ? `${last.place}_${last.id}` : null,
  }
}

/** @throws ProblemError no-such-request, also where the viewer may not see its client */
export async function requestPage(db: Db, viewer: Viewer, id: number): Promise<RequestPage> {
  const request = await firstRow<Omit<RequestPage, 'entries'>>(
    db,
    `
    select ${columns}, r.alert_id as "alertId", coalesce(a.rule->>'name', '') as "alertText",
      r.device_id as "deviceId", coalesce(d.name, '') as "deviceName",
      coalesce((select zone from site s where s.client_id = r.client_id order by s.id limit 1), 'UTC') as zone,
      coalesce((select coalesce(nullif(m.reply_to, ''), m.from_address) from request_mail m
        where m.request_id = r.id and m.became in ('request', 'answer') order by m.id desc limit 1), '') as "answersTo",
      (select jsonb_build_object('name', k.name, 'phone', k.phone, 'note', k.note) from contact k
        where k.client_id = r.client_id and r.from_address <> '' and lower(k.email) = lower(r.from_address)
        order by k.id limit 1) as contact
    ${joined}
    left join device d on d.id = r.device_id
    left join alert a on a.id = r.alert_id
    where r.id = $1 and ${ofClients('r.client_id', 2)}`,
    [id, viewer.clientIds],
  )
  if (!request) throw new ProblemError('no-such-request')
  return { ...request, entries: await entriesOf(db, id) }
}

const mostEntries = 500

async function entriesOf(db: Db, id: number): Promise<RequestEntry[]> {
  return rows<RequestEntry>(
    db,
    `
    select e.at, e.event, p.name as by, e.text,
      -- Whose it was before, and what of theirs it was joined to, is not for the people of another client.
      case when e.id < (select coalesce(max(id), 0) from request_entry where request_id = $1 and event = 'placed')
        and e.event in ('joined', 'placed') then '' else coalesce(e.detail->>'name', '') end as name,
      (e.detail->>'until')::float8 as until,
      case when m.id is not null then jsonb_build_object('id', m.id, 'became', m.became, 'fromName', m.from_name,
        'fromAddress', m.from_address, 'subject', m.subject, 'text', m.text, 'isCut', m.is_cut,
        'attachments', m.attachments) end as mail,
      case when l.id is not null then jsonb_build_object('state', l.state, 'to', l.mail_to,
        'sentAt', floor(extract(epoch from l.sent_at) * 1000), 'answer', l.answer) end as left
    from (select * from request_entry where request_id = $1 order by id desc limit ${mostEntries}) e
    left join person p on p.id = e.person_id
    left join request_mail m on m.id = e.mail_id
    left join callout_message l on l.id = e.message_id
    order by e.id`,
    [id],
  )
}
