import { messagesQuerySchema, messagesSchema, resentSchema, type MessageView } from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, mayChangeAll, type Viewer } from '../access'

function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'Messages are shown to a lead of all clients.')
}

/** Messages that left, or did not. */
export function messageRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/messages',
    access: 'lead',
    summary: 'Messages to people and other systems, the newest first, in parts',
    answer: messagesSchema,
    query: messagesQuerySchema,
    handle({ viewer, query }) {
      requireAll(viewer)
      return rows<MessageView>(
        pool,
        `
        select m.number, coalesce(p.name, w.name, m.mail_to, '') as to,
          case when m.webhook_id is null then 'mail' else 'webhook' end as way, m.state, m.created_at as "createdAt",
          m.sent_at as "sentAt",
          case when m.state in ('gathering', 'waiting', 'sending') then greatest(m.leaves_at, m.next_at,
            case when m.state <> 'gathering' then y.next_at end) end as "nextAt",
          m.attempts, m.answer,
          coalesce(m.content->'mail'->>'subject', (m.content->>'event')::jsonb->>'type', '') as subject,
          (select count(distinct (s.alert_id, s.request_id))::int from callout_told t join callout_step s on s.id = t.step_id
            where t.message_id = m.id) as alerts
        from callout_message m
        left join person p on p.id = m.person_id
        left join webhook w on w.id = m.webhook_id
        left join callout_way y on y.way = case when m.webhook_id is null then 'mail' else 'webhook ' || m.webhook_id end
        where ($1::bigint is null or m.number < $1)
          and case $2::text when 'failed' then m.state = 'failed'
            when 'waiting' then m.state in ('gathering', 'waiting', 'sending') else m.state <> 'dropped' end
        order by m.number desc limit $3`,
        [query.before ?? null, query.state ?? null, query.limit],
      )
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/messages/:id/again',
    access: 'lead',
    summary: 'Send a message again that could not leave',
    answer: resentSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        const row = await firstRow<{ way: string }>(
          tx,
          `update callout_message set state = 'waiting', created_at = now(), next_at = now(), attempts = 0
           where number = $1 and state = 'failed'
           returning case when webhook_id is null then 'mail' else 'webhook ' || webhook_id end as way`,
          [id()],
        )
        if (!row) throw new ProblemError('no-such-message')
        await tx.query('update callout_way set next_at = now() where way = $1', [row.way])
        await audit(tx, {
          personId: viewer.id,
          action: 'sent again a message by',
          kind: 'way',
          id: null,
          detail: { name: row.way },
        })
        announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })
        return { again: id() }
      }),
  })
}
