import { day, hour, minute, standingAt, stillToSay, type AlertStanding, type ClientId, type Millis } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import { composeDigest } from './digest'
import { composeEvent } from './event'
import { itemsOf, type ToldItem } from './items'
import { composeMail, type Mail } from './mail'
import { calloutSettings } from './outbox'
import { maySee } from './people'
import { readSubjects, subjectKey, type Subject } from './subjects'

/** Older than this when it leaves, it is late. */
const lateAfter: Millis = 10 * minute
/** Nobody wants to hear today what was to be said yesterday. It is kept, to be sent by hand. */
const keptTrying: Millis = day
const quietAgain: Millis = minute

export type Content = { mail: Mail } | { event: string }
export interface Message {
  id: string
  person_id: number | null
  webhook_id: number | null
  /** Of an answer: somebody at a client. */
  mail_to: string | null
  created_at: Millis
  is_throttled: boolean
  kind: 'callout' | 'digest' | 'answer' | 'house'
  state: string
  content: Content | null
  attempts: number
}

/** The number of the next message of a way. null: there is none */
export async function nextOf(db: Db, way: string): Promise<string | null> {
  const isMail = way === 'mail'
  const next = await firstRow<{ id: string }>(
    db,
    `
    select id from callout_message
    where state in ('gathering', 'waiting', 'sending') and leaves_at <= now() and next_at <= now()
      and case when $1 then webhook_id is null else webhook_id = $2 end
    order by number limit 1`,
    [isMail, isMail ? null : Number(way.split(' ')[1])],
  )
  return next?.id ?? null
}

/**
 * A message, made ready and marked as being handed over. What is over by now leaves it; what is quiet by now waits in
 * another; what else waits for the same person since long ago comes along.
 * @returns null: it had nothing to say any more
 */
export async function prepare(tx: Db, id: string, origin: string): Promise<Message | null> {
  const message = await firstRow<Message>(
    tx,
    `
    select id, person_id, webhook_id, mail_to, created_at, is_throttled, kind, state, content, attempts from callout_message
    where id = $1 and state in ('gathering', 'waiting', 'sending') for update`,
    [id],
  )
  if (!message) return null
  const isMail = message.webhook_id === null
  const now = Date.now()
  if (now - message.created_at > keptTrying + (message.is_throttled ? hour : 0)) {
    await setState(tx, message.id, 'failed', 'It could not leave for a day.')
    return null
  }
  // As it was written; nobody but its author may change what it says.
  if (message.kind === 'answer') return underWay(tx, message, message.content!)
  const sees = await seesNow(tx, message)
  if (sees === 'nothing') {
    await setState(tx, message.id, 'dropped', 'Whoever it was for may not sign in any more.')
    return null
  }
  if (message.kind === 'house') return underWay(tx, message, message.content!)
  if (message.kind === 'digest') return prepareDigest(tx, message, origin, now)
  const isLate = now - message.created_at > lateAfter && !message.is_throttled
  if (isLate && isMail && message.content === null) await takeAlong(tx, message)
  const standing = await standingsOf(tx, message.id)
  const all = await itemsOf(tx, message.id)
  // What they may see has changed since it was decided, or a device went to another client.
  const items = all.filter(({ clientId }) => maySee(sees, clientId))
  if (items.length < all.length) {
    message.content = null
    await tx.query('delete from callout_told where message_id = $1 and step_id <> all($2)', [
      message.id,
      items.map(({ stepId }) => stepId),
    ])
  }
  const said: ToldItem[] = []
  const later: ToldItem[] = []
  for (const item of items) {
    const wasTold = await hasHeard(tx, message, item)
    const becomes = stillToSay(item.step, item.holder, standing.get(subjectKey(item.subject))!, wasTold)
    if (becomes === 'now') said.push(item)
    else if (becomes === 'later') later.push(item)
  }
  if (message.content === null) {
    const over = items.filter((item) => !said.includes(item) && !later.includes(item))
    await tx.query('update callout_told set was_over = true where message_id = $1 and step_id = any($2)', [
      message.id,
      over.map(({ stepId }) => stepId),
    ])
    if (later.length && !said.length) {
      await tx.query(`update callout_message set state = 'gathering', created_at = $2, leaves_at = $3 where id = $1`, [
        message.id,
        time(now),
        time(now + quietAgain),
      ])
      return null
    }
    if (later.length) await putAside(tx, message, later, now)
  }
  if (!said.length) {
    // Of what may have arrived already it stays known that it was to be said.
    await setState(tx, message.id, 'dropped', message.content ? 'It was over when it was to be sent again.' : '')
    return null
  }
  const content = message.content ?? (await contentOf(tx, message, said, { origin, now, isLate }))
  return underWay(tx, message, content)
}

/** The clients that whoever a message is for may see as it leaves; null: all. */
async function seesNow(tx: Db, { person_id }: Message): Promise<ClientId[] | null | 'nothing'> {
  if (person_id === null) return null
  const person = await firstRow<{ client_ids: ClientId[] | null }>(
    tx,
    `select client_ids from person where id = $1 and deactivated_at is null and access <> 'contact'`,
    [person_id],
  )
  return person ? person.client_ids : 'nothing'
}

async function underWay(tx: Db, message: Message, content: Content): Promise<Message> {
  await tx.query(`update callout_message set state = 'sending', content = $2, attempts = attempts + 1 where id = $1`, [
    message.id,
    JSON.stringify(content),
  ])
  return { ...message, content, attempts: message.attempts + 1 }
}

async function prepareDigest(tx: Db, message: Message, origin: string, now: Millis): Promise<Message | null> {
  const mail = message.content ? null : await composeDigest(tx, message.person_id!, origin, now)
  if (message.content ?? mail) return underWay(tx, message, message.content ?? { mail: mail! })
  await setState(tx, message.id, 'dropped', '')
  return null
}

async function contentOf(
  tx: Db,
  message: Message,
  items: readonly ToldItem[],
  { origin, now, isLate }: { origin: string; now: Millis; isLate: boolean },
): Promise<Content> {
  if (message.webhook_id !== null) return { event: composeEvent(message.id, items[0]!, origin, isLate) }
  const { mostAnHour } = await calloutSettings(tx)
  return {
    mail: composeMail(items, {
      origin,
      now,
      lateSince: isLate ? message.created_at : null,
      throttledAt: message.is_throttled ? mostAnHour : null,
    }),
  }
}

async function setState(tx: Db, id: string, state: 'failed' | 'dropped', answer: string): Promise<void> {
  await tx.query('update callout_message set state = $2, answer = $3 where id = $1', [id, state, answer])
}

async function standingsOf(tx: Db, messageId: string): Promise<Map<string, AlertStanding>> {
  const subjects = await rows<Subject>(
    tx,
    `select distinct case when s.alert_id is null then 'request' else 'alert' end as of,
       coalesce(s.alert_id, s.request_id) as id
     from callout_told t join callout_step s on s.id = t.step_id where t.message_id = $1`,
    [messageId],
  )
  const told = await readSubjects(tx, subjects, [])
  return new Map(told.map((each) => [subjectKey(each), standingAt(each.story, Date.now())]))
}

/** Whether whom a message goes to has heard of an alert, or may have, by the same rule. */
async function hasHeard(tx: Db, message: Message, item: ToldItem): Promise<boolean> {
  if (item.step !== 'well' || item.subject.of !== 'alert') return false
  const told = await firstRow(
    tx,
    `
    select from callout_step s join callout_told t on t.step_id = s.id join callout_message m on m.id = t.message_id
    where s.alert_id = $1 and s.rule_id = $2 and s.step <> 'well' and not t.was_over
      and (m.person_id = $3 or m.webhook_id = $4) and (m.state = 'sent' or m.content is not null)
    limit 1`,
    [item.subject.id, item.ruleId, message.person_id, message.webhook_id],
  )
  return told !== null
}

/** What waits for the same person since long ago goes with this one: they read it once. */
async function takeAlong(tx: Db, { id, person_id }: Message): Promise<void> {
  const others = await rows<{ id: string }>(
    tx,
    `select id from callout_message
     where person_id = $1 and id <> $2 and kind = 'callout' and state in ('gathering', 'waiting') and content is null and leaves_at <= now()
     for update skip locked`,
    [person_id, id],
  )
  if (!others.length) return
  const from = others.map((other) => other.id)
  await tx.query(
    `insert into callout_told (step_id, message_id)
     select distinct step_id, $1::uuid from callout_told where message_id = any($2) and not was_over
     on conflict do nothing`,
    [id, from],
  )
  await tx.query('delete from callout_told where message_id = any($1)', [from])
  await tx.query(`update callout_message set state = 'dropped', answer = 'It went with another.' where id = any($1)`, [
    from,
  ])
}

/** What is held back by now is looked at again in a while, in a message of its own. */
async function putAside(tx: Db, message: Message, items: readonly ToldItem[], now: Millis): Promise<void> {
  const row = await firstRow<{ id: string }>(
    tx,
    `insert into callout_message (person_id, webhook_id, created_at, leaves_at)
     values ($1, $2, $3, $4) returning id`,
    [message.person_id, message.webhook_id, time(now), time(now + quietAgain)],
  )
  await tx.query('update callout_told set message_id = $2 where message_id = $1 and step_id = any($3)', [
    message.id,
    row!.id,
    items.map(({ stepId }) => stepId),
  ])
}
