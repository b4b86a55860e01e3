import { workUnderWaySchema, type WorkUnderWay } from '#contract'
import type { FastifyInstance } from 'fastify'
import { rows, type Pool } from '../../db'
import { route } from '../../http/route'
import { ofClients } from '../access'

/** Runs that are not over are few; what waits to be looked at is found by its key, the device. */
const select = `
  select 'wave' as kind, r.id, r.name as title, r.state = 'paused' as "isPaused",
    (select count(*)::int from wave_machine m where m.run_id = r.id and m.state in ('installed', 'failed')) as done,
    (select count(*)::int from wave_machine m where m.run_id = r.id) as total
  from wave_run r join site s on s.id = r.site_id
  where r.state in ('running', 'paused') and ${ofClients('s.client_id', 1)}
  union all
  select 'update', r.id, r.version, r.state = 'paused', n.done, n.total
  from update_run r cross join lateral (
    select count(*) filter (where u.state in ('updated', 'failed'))::int as done, count(*)::int as total
    from update_device u join device d on d.id = u.device_id where u.run_id = r.id and ${ofClients('d.client_id', 1)}
  ) n
  where r.state in ('running', 'paused') and n.total > 0
  union all
  select 'sweep', w.id, w.network, false, w.scanned, w.total
  from sweep w join site s on s.id = w.site_id
  where w.state in ('waiting', 'running') and ${ofClients('s.client_id', 1)}
  union all
  select 'settling', 0, '', false, 0, count(*)::int
  from settle_due q join device d on d.id = q.device_id where ${ofClients('d.client_id', 1)} having count(*) > 0
  order by 1, 2 desc limit 200`

export function underWayRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/under-way',
    access: 'technician',
    summary: 'Work that goes on by itself, and how far it has come',
    answer: workUnderWaySchema,
    handle: ({ viewer }) => rows<WorkUnderWay>(pool, select, [viewer.clientIds]),
  })
}
