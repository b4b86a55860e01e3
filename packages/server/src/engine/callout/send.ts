import { hour, minute, second, type Millis } from '#core'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { announce } from '../../live'
import type { Vault } from '../../secrets/vault'
import { noteFault } from '../../store/health'
import { MailLine, sendEvent, type MailSettings, type Outcome } from './deliver'
import { nextOf, prepare, type Content, type Message } from './prepare'

/** What sending needs beside the database. */
export interface Sending {
  vault: Vault
  /** How people reach the server, such as https://custode.example */
  origin: string
}

const longestBackOff: Millis = 5 * minute
/** A round ends then, so that ways that were added are seen. */
const roundFor: Millis = 5 * second

/** Contexts that sealed secrets are bound to. */
export const mailPasswordContext = 'mail password'
export const webhookContext = (id: number) => `webhook ${id}`

interface Way {
  way: string
  failures: number
}
type Handed = (message: Message, content: Content) => Promise<Outcome>
type OpenedWay = Handed & { close(): void }

/** Advisory locks of ways are of this class; the way itself is the other half. */
const lockClass = 41

/** A round: each way that has something to send, and that no other process is at, side by side. */
export async function sendMessages(pool: Pool, sending: Sending): Promise<void> {
  const ways = await rows<{ way: string }>(
    pool,
    `
    select w.way from callout_way w
    where next_at <= now()
      and exists (select from callout_message m
        where m.state in ('gathering', 'waiting', 'sending') and m.next_at <= now() and m.leaves_at <= now()
          and w.way = case when m.webhook_id is null then 'mail' else 'webhook ' || m.webhook_id end)`,
  )
  if (!ways.length) return
  // The locks are of a connection: whatever becomes of this process, they end with it.
  const holder = await pool.connect()
  let isWhole = false
  try {
    const mine: string[] = []
    for (const { way } of ways) if (await lock(holder, way)) mine.push(way)
    const results = await Promise.allSettled(mine.map((way) => workOn(pool, way, sending)))
    for (const way of mine) await holder.query('select pg_advisory_unlock($1, hashtext($2))', [lockClass, way])
    isWhole = true
    const failed = results.find((result) => result.status === 'rejected')
    if (failed) throw failed.reason
  } finally {
    // Else it is ended, and its locks with it.
    holder.release(!isWhole)
  }
}

async function lock(holder: Db, way: string): Promise<boolean> {
  const row = await firstRow<{ is: boolean }>(holder, 'select pg_try_advisory_lock($1, hashtext($2)) as is', [
    lockClass,
    way,
  ])
  return row!.is
}

async function workOn(pool: Pool, way: string, sending: Sending): Promise<void> {
  const until = Date.now() + roundFor
  let hand: OpenedWay | null = null
  try {
    while (Date.now() < until) {
      const free = await firstRow<Way>(
        pool,
        'select way, failures from callout_way where way = $1 and next_at <= now()',
        [way],
      )
      if (!free) return
      const id = await nextOf(pool, way)
      if (id === null) return
      const message = await makeReady(pool, id, sending)
      if (message === null) continue
      hand ??= await openWay(pool, way, sending)
      const outcome = await hand(message, message.content!)
      await inTransaction(pool, (tx) => record(tx, free, message, outcome))
    }
  } finally {
    hand?.close()
  }
}

/** One that cannot be made ready costs only itself: it is kept with the reason, to be looked into. */
async function makeReady(pool: Pool, id: string, { origin }: Sending): Promise<Message | null> {
  try {
    return await inTransaction(pool, (tx) => prepare(tx, id, origin))
  } catch (error) {
    if (isAway(error)) throw error
    await pool.query(`update callout_message set state = 'failed', answer = $2 where id = $1`, [
      id,
      `It could not be put together: ${(error as Error).message}`.slice(0, 500),
    ])
    await noteFault(pool, 'message', error)
    return null
  }
}

/** The database is away, and not the message wrong: classes 08, 40, 53, 55 and 57 of PostgreSQL's error codes. */
const isAway = (error: unknown) => {
  const { code } = error as { code?: string }
  return code === undefined ? /terminated|timeout/i.test(String(error)) : /^(08|40|53|55|57|E[A-Z])/.test(code)
}

/** A way by which nothing can be handed over, and why. */
const closedWay = (answer: string): OpenedWay =>
  Object.assign(() => Promise.resolve<Outcome>({ is: 'away', answer }), { close: () => undefined })

async function openWay(pool: Pool, way: string, sending: Sending): Promise<OpenedWay> {
  try {
    return (await (way === 'mail' ? openMailWay(pool, sending) : openWebhook(pool, way, sending))) ?? closedWay(unset)
  } catch (error) {
    if (isAway(error)) throw error
    return closedWay(`Its secret cannot be opened with the keys of this server: ${(error as Error).message}`)
  }
}

const unset = 'Nobody has said how it leaves. A lead does in Setup, Mail and webhooks.'

async function openWebhook(pool: Pool, way: string, sending: Sending): Promise<OpenedWay | null> {
  const webhook = await firstRow<{ id: number; url: string; secret: Buffer }>(
    pool,
    'select id, url, secret from webhook where id = $1 and removed_at is null',
    [Number(way.split(' ')[1])],
  )
  if (!webhook) return null
  const secret = sending.vault.open(webhook.secret, webhookContext(webhook.id))
  return Object.assign(
    ({ id }: Message, content: Content) =>
      sendEvent({ url: webhook.url, secret }, { id, body: 'event' in content ? content.event : '', now: Date.now() }),
    { close: () => undefined },
  )
}

export async function readMailSettings(db: Db, vault: Vault): Promise<MailSettings | null> {
  const row = await firstRow<Omit<MailSettings, 'password'> & { password: Buffer | null }>(
    db,
    'select host, port, security, username, password, sender from mail_settings',
  )
  return row && { ...row, password: row.password && vault.open(row.password, mailPasswordContext) }
}

async function openMailWay(pool: Pool, { vault, origin }: Sending): Promise<OpenedWay | null> {
  const settings = await readMailSettings(pool, vault)
  if (!settings) return null
  const line = new MailLine(settings)
  const host = new URL(origin).hostname
  const hand: Handed = async ({ id, person_id, mail_to }, content) => {
    if (mail_to !== null && 'mail' in content) return line.send({ id, to: mail_to, host, mail: content.mail })
    const person = await firstRow<{ address: string }>(
      pool,
      'select coalesce(mail_to, email) as address from person where id = $1 and deactivated_at is null',
      [person_id],
    )
    if (!person || !('mail' in content)) return { is: 'refused', answer: 'This person may not sign in any more.' }
    return line.send({ id, to: person.address, host, mail: content.mail })
  }
  return Object.assign(hand, { close: () => line.close() })
}

const backOff = (failures: number, least: Millis, most: Millis) => Math.min(most, least * 2 ** Math.min(failures, 20))

/** Notes how it went, of the message and of the way. */
async function record(tx: Db, way: Way, message: Message, outcome: Outcome): Promise<void> {
  const { is, answer, after } = outcome
  const wait = is === 'later' ? backOff(message.attempts - 1, minute, hour) : 0
  await tx.query(
    `
    update callout_message set answer = $2,
      state = case $3 when 'sent' then 'sent' when 'refused' then 'failed' when 'unknown' then 'sending' else 'waiting' end,
      sent_at = case $3 when 'sent' then now() end,
      -- What surely did not arrive is put together anew; else the same leaves again.
      content = case when $3 in ('away', 'later') and person_id is not null and kind <> 'house' then null else content end,
      next_at = now() + make_interval(secs => $4)
    where id = $1`,
    [message.id, answer, is, wait / second],
  )
  const isDown = is === 'away' || is === 'unknown'
  // A mail server that refuses one person's address works; a system that refuses an event does not know what it is for.
  const isWell = is === 'sent' || is === 'later' || (is === 'refused' && way.way === 'mail')
  const pause = isDown ? Math.max(after ?? 0, backOff(way.failures, 5 * second, longestBackOff)) : 0
  await tx.query(
    `
    update callout_way set answer = $2, answered_at = now(),
      failing_since = case when $3 then null else coalesce(failing_since, now()) end,
      failures = case when $3 then 0 else failures + 1 end,
      next_at = now() + make_interval(secs => $4)
    where way = $1`,
    [way.way, answer, isWell, pause / second],
  )
  announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })
}
