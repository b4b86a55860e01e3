import { secretsSchema, type SecretListed } from '#contract'
import type { FastifyInstance } from 'fastify'
import { rows, type Pool } from '../../db'
import { route } from '../../http/route'
import { mayChangeAll, ofClients } from './viewer'

/** The secrets that are kept: for a lead those of their clients, and those of the house for a lead of all. */
export function secretRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/secrets',
    access: 'lead',
    summary: 'Secrets by name, where they are used, and when last; never what they are',
    answer: secretsSchema,
    handle: ({ viewer }) =>
      rows<SecretListed>(
        pool,
        `
        select 'credential' as kind, c.name || ' (' || c.user_name || ')' as name, c.client_id as "clientId",
          k.name as "clientName",
          (select count(*)::int from sweep_plan p where p.removed_at is null and c.id = any(p.credential_ids)) as plans,
          (select count(*)::int from wave_run w where w.ended_at is null and c.id = any(w.credential_ids)) as runs,
          greatest((select max(s.started_at) from sweep s where c.id = any(s.credential_ids)),
            (select max(w.created_at) from wave_run w where c.id = any(w.credential_ids))) as "usedAt"
        from credential c join client k on k.id = c.client_id
        where c.removed_at is null and ${ofClients('c.client_id', 1)}
        union all
        select 'mail', m.username || ' at ' || m.host, null, '', 0, 0, w.answered_at
        from mail_settings m join callout_way w on w.way = 'mail' where m.password is not null and $2
        union all
        select 'webhook', h.name, null, '', 0, 0, w.answered_at
        from webhook h left join callout_way w on w.way = 'webhook ' || h.id where h.removed_at is null and $2
        union all
        select 'provider', p.name, null, '', 0, 0, (select max(created_at) from session where by_provider)
        from identity_provider p where p.client_secret is not null and $2
        order by 1, 2 limit 5000`,
        [viewer.clientIds, mayChangeAll(viewer)],
      ),
  })
}
