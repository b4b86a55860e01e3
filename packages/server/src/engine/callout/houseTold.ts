import { randomUUID } from 'node:crypto'
import { CloudEvent } from 'cloudevents'
import { minute, type Millis } from '#core'
import { inTransaction, rows, time, type Db, type Pool } from '../../db'
import type { Content } from './prepare'

/** A way that fails for less long may be well again by itself. */
const failsFor: Millis = 15 * minute

interface FailingWay {
  way: string
  failing_since: Millis
  answer: string
  name: string
}

/**
 * Tells the leads that a way by which messages leave fails, by the ways that do not: of a webhook by mail, of mail by
 * the webhooks. Once each time that it begins to fail; what waits for the failing way says nothing of it.
 */
export async function tellOfFailingWays(pool: Pool, origin: string, now: Millis): Promise<void> {
  await inTransaction(pool, async (tx) => {
    await tx.query('update callout_way set told_at = null where told_at is not null and failing_since is null')
    const failing = await rows<FailingWay>(
      tx,
      `update callout_way w set told_at = now()
       from callout_way o left join webhook h on o.way = 'webhook ' || h.id
       where o.way = w.way and w.failing_since <= $1 and w.told_at is null and (h.id is null or h.removed_at is null)
       returning w.way, w.failing_since, w.answer, coalesce(h.name, 'Mail') as name`,
      [time(now - failsFor)],
    )
    for (const way of failing) await (way.way === 'mail' ? tellSystems(tx, way, origin) : tellLeads(tx, way, origin))
  })
}

async function tellLeads(tx: Db, { name, failing_since, answer }: FailingWay, origin: string): Promise<void> {
  const content: Content = {
    mail: {
      subject: `Custode cannot tell ${name}`,
      text: [
        `What is to be told by the webhook “${name}” cannot leave since ${new Date(failing_since).toISOString()}.`,
        '',
        `It said: ${answer || 'nothing'}`,
        '',
        `What waits and what did not leave: ${origin}/setup?part=ways`,
        '',
      ].join('\n'),
      html: '',
      references: [],
    },
  }
  await tx.query(
    `insert into callout_message (person_id, kind, state, leaves_at, content)
     select id, 'house', 'waiting', now(), $1 from person
     where access = 'lead' and client_ids is null and deactivated_at is null`,
    [JSON.stringify(content)],
  )
}

async function tellSystems(tx: Db, { failing_since, answer }: FailingWay, origin: string): Promise<void> {
  const webhooks = await rows<{ id: number }>(tx, 'select id from webhook where removed_at is null')
  for (const { id: webhookId } of webhooks) {
    const id = randomUUID()
    const event = new CloudEvent({
      specversion: '1.0',
      id,
      source: origin,
      type: 'custode.house.mail-fails',
      time: new Date(failing_since).toISOString(),
      datacontenttype: 'application/json',
      data: { since: new Date(failing_since).toISOString(), answer, url: `${origin}/setup?part=ways` },
    })
    const content: Content = { event: JSON.stringify(event) }
    await tx.query(
      `insert into callout_message (id, webhook_id, kind, state, leaves_at, content)
       values ($1, $2, 'house', 'waiting', now(), $3)`,
      [id, webhookId, JSON.stringify(content)],
    )
  }
}
