import {
  beforeQuerySchema,
  madeSchema,
  newUpdateRunSchema,
  updateRunPageSchema,
  updateRunsSchema,
  versionDevicesQuerySchema,
  versionDevicesSchema,
  versionPageSchema,
  versionQuerySchema,
  type UpdateAction,
  type UpdateDeviceView,
  type UpdateRunPage,
  type UpdateRunView,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { ofClients, type Viewer } from '../../access'
import type { Releases } from './releases'
import { startUpdates, controlUpdates } from './updateRun'
import { versionDevices, versionPage } from './versions'

/** Counts only devices that the viewer may see; a run without any of them is not theirs. */
const select = `
  select r.id, r.version, r.state, r.reason, r.wave, r.waves, r.minutes, n.total, n.updated, n.failed,
  r.created_at as "createdAt", coalesce(p.name, '') as "createdBy"
  from update_run r left join person p on p.id = r.created_by
  cross join lateral (
    select count(*)::int as total, count(*) filter (where u.state = 'updated')::int as updated,
    count(*) filter (where u.state = 'failed')::int as failed
    from update_device u join device d on d.id = u.device_id where u.run_id = r.id and ${ofClients('d.client_id', 1)}
  ) n
  where n.total > 0`

async function page(db: Db, viewer: Viewer, id: number): Promise<UpdateRunPage> {
  const run = await firstRow<UpdateRunView>(db, `${select} and r.id = $2`, [viewer.clientIds, id])
  if (!run) throw new ProblemError('no-such-run')
  const devices = await rows<UpdateDeviceView>(
    db,
    `
    select d.id, d.name, c.name as "clientName", u.wave, u.state, u.step, u.reason, u.from_version as "fromVersion",
    u.changed_at as "changedAt"
    from update_device u join device d on d.id = u.device_id join client c on c.id = d.client_id
    where u.run_id = $1 and ${ofClients('d.client_id', 2)} order by u.wave, c.name, d.name limit 20000`,
    [id, viewer.clientIds],
  )
  return { ...run, devices }
}

export function updateRoutes(app: FastifyInstance, pool: Pool, releases: Releases): void {
  route(app, {
    method: 'GET',
    url: '/api/agent-versions',
    access: 'technician',
    summary: 'Who runs which version of the agent, and which this server has',
    answer: versionPageSchema,
    query: versionQuerySchema,
    handle: ({ viewer, query }) => versionPage(pool, viewer, releases, query.client ?? null),
  })
  route(app, {
    method: 'GET',
    url: '/api/agent-versions/devices',
    access: 'technician',
    summary: 'Devices that an update to a version is for, or those that cannot be updated from here',
    answer: versionDevicesSchema,
    query: versionDevicesQuerySchema,
    handle: ({ viewer, query }) => versionDevices(pool, viewer, query),
  })
  route(app, {
    method: 'POST',
    url: '/api/update-runs',
    access: 'technician',
    summary: 'Update agents in waves; one that does not report in time goes back',
    answer: madeSchema,
    body: newUpdateRunSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => ({ id: await startUpdates(tx, body, releases, viewer) })),
  })
  route(app, {
    method: 'GET',
    url: '/api/update-runs',
    access: 'technician',
    summary: 'Updates of agents, newest first',
    answer: updateRunsSchema,
    query: beforeQuerySchema,
    handle: ({ viewer, query }) =>
      rows<UpdateRunView>(pool, `${select} and ($2::int is null or r.id < $2) order by r.id desc limit $3`, [
        viewer.clientIds,
        query.before ?? null,
        query.limit,
      ]),
  })
  route(app, {
    method: 'GET',
    url: '/api/update-runs/:id',
    access: 'technician',
    summary: 'One update with its devices',
    answer: updateRunPageSchema,
    handle: ({ viewer, id }) => page(pool, viewer, id()),
  })
  for (const [action, summary] of [
    ['pause', 'Update no further for now'],
    ['resume', 'Resume an update that is paused'],
    ['stop', 'Update no further'],
    ['retry', 'Try again the devices that failed, and only those'],
  ] as [UpdateAction, string][])
    route(app, {
      method: 'POST',
      url: `/api/update-runs/:id/${action}`,
      access: 'technician',
      summary,
      answer: madeSchema,
      handle: ({ viewer, id }) =>
        inTransaction(pool, async (tx) => {
          await controlUpdates(tx, viewer, id(), action)
          return { id: id() }
        }),
    })
}
