import {
  beforeQuerySchema,
  machineListSchema,
  machineNameSchema,
  machinesReadSchema,
  madeSchema,
  newWaveRunSchema,
  waveRunPageSchema,
  waveRunsSchema,
  type NewWaveRun,
  type RunAction,
  type WaveMachineView,
  type WaveRunPage,
  type WaveRunView,
} from '#contract'
import { inNetwork, readNetwork } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { requireClient, ofClients, type Viewer } from '../../access'
import { requireCredentials } from '../credentials/credentials'
import { withKey, type KeyColumns } from '../sweeps/hostKeys'
import { readMachines } from './machineList'
import { requireWorker } from '../../../store/tasks'
import type { Vault } from '../../../secrets/vault'
import { startRun, controlRun, renameMachine } from './waveRun'

const select = `
  select r.id, r.site_id as "siteId", r.name, s.client_id as "clientId", c.name as "clientName", s.name as "siteName",
  d.name as "deviceName", r.state, r.reason, r.wave, r.waves,
         (select count(*) from wave_machine m where m.run_id = r.id)::int as total,
         (select count(*) from wave_machine m where m.run_id = r.id and m.state = 'installed')::int as installed,
         (select count(*) from wave_machine m where m.run_id = r.id and m.state = 'failed')::int as failed,
         r.created_at as "createdAt", coalesce(p.name, '') as "createdBy"
  from wave_run r join site s on s.id = r.site_id join client c on c.id = s.client_id
  join device d on d.id = r.device_id left join person p on p.id = r.created_by
  where ${ofClients('s.client_id', 1)}`

async function runPage(db: Db, viewer: Viewer, id: number): Promise<WaveRunPage> {
  const run = await firstRow<WaveRunView>(db, `${select} and r.id = $2`, [viewer.clientIds, id])
  if (!run) throw new ProblemError('no-such-run')
  const machines = await rows<Omit<WaveMachineView, 'key'> & KeyColumns>(
    db,
    `
    select m.n, m.address, m.name, m.wave, m.state, m.step, m.failure, m.reason, m.attempts,
    m.changed_at as "changedAt",
           case when d.id is null then null
           else json_build_object('id', d.id, 'name', d.name, 'reports', d.heard_at is not null) end as device,
           h.seen, h.accepted
    from wave_machine m left join device d on d.id = m.device_id left
    join host_key h on h.site_id = $2 and h.address = m.address where m.run_id = $1 order by m.wave, m.n limit 5000`,
    [id, run.siteId],
  )
  return { ...run, machines: machines.map(withKey) }
}

/** @returns the client of the site, when all is as it should be */
async function check(tx: Db, body: NewWaveRun, viewer: Viewer): Promise<number> {
  const site = await firstRow<{ client_id: number; networks: string[] }>(
    tx,
    'select client_id, networks from site where id = $1',
    [body.siteId],
  )
  if (!site) throw new ProblemError('no-such-site')
  requireClient(viewer, site.client_id, 'no-such-site')
  const fail = (at: string, detail: string, message: string): never => {
    throw new ProblemError('invalid', detail, [{ at, message }])
  }
  await requireWorker(tx, body.deviceId, site.client_id)
  const outside = body.machines.find(
    (machine) =>
      !site.networks.some((network) => {
        const read = readNetwork(network)
        return read !== null && inNetwork(machine.address, read)
      }),
  )
  if (outside)
    fail(
      'machines',
      `${outside.address} is not within the networks of this site (${site.networks.join(', ') || 'none declared'}). Agents are sent to the client’s own machines only.`,
      'outside the site',
    )
  await requireCredentials(tx, body.credentialIds, site.client_id, body.siteId)
  const unknown = await rows<{ id: string }>(
    tx,
    'select r as id from unnest($1::text[]) r where r not in (select id from role)',
    [body.roles],
  )
  if (unknown.length) fail('roles', `There is no role “${unknown[0]!.id}”.`, 'unknown role')
  return site.client_id
}

export function waveRoutes(app: FastifyInstance, pool: Pool, vault: Vault): void {
  route(app, {
    method: 'POST',
    url: '/api/machine-lists',
    access: 'technician',
    summary: 'Reads machines from CSV (RFC 4180); bad lines are told by number, good ones kept',
    answer: machinesReadSchema,
    body: machineListSchema,
    handle: ({ body }) => readMachines(body.csv),
  })
  route(app, {
    method: 'POST',
    url: '/api/wave-runs',
    access: 'technician',
    summary: 'Send agents out in waves',
    answer: madeSchema,
    body: newWaveRunSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => ({
        id: await startRun(tx, vault, body, await check(tx, body, viewer), viewer),
      })),
  })
  route(app, {
    method: 'GET',
    url: '/api/wave-runs',
    access: 'technician',
    summary: 'Runs of waves, newest first',
    answer: waveRunsSchema,
    query: beforeQuerySchema,
    handle: ({ viewer, query }) =>
      rows<WaveRunView>(pool, `${select} and ($2::int is null or r.id < $2) order by r.id desc limit $3`, [
        viewer.clientIds,
        query.before ?? null,
        query.limit,
      ]),
  })
  route(app, {
    method: 'GET',
    url: '/api/wave-runs/:id',
    access: 'technician',
    summary: 'One run with its machines',
    answer: waveRunPageSchema,
    handle: ({ viewer, id }) => runPage(pool, viewer, id()),
  })
  route(app, {
    method: 'PUT',
    url: '/api/wave-runs/:id/machines/:n',
    access: 'technician',
    summary: 'Give a machine of a run another name, before it is tried (again)',
    answer: madeSchema,
    body: machineNameSchema,
    handle: ({ viewer, body, id }) =>
      inTransaction(pool, async (tx) => {
        await renameMachine(tx, viewer, id(), id('n'), body.name)
        return { id: id() }
      }),
  })
  for (const [action, summary] of [
    ['pause', 'Go to no more machines for now'],
    ['resume', 'Resume a run that is paused'],
    ['stop', 'Go to no more machines'],
    ['retry', 'Try again the machines that failed, and only those'],
  ] as [RunAction, string][])
    route(app, {
      method: 'POST',
      url: `/api/wave-runs/:id/${action}`,
      access: 'technician',
      summary,
      answer: madeSchema,
      handle: ({ viewer, id }) =>
        inTransaction(pool, async (tx) => {
          await controlRun(tx, viewer, id(), action)
          return { id: id() }
        }),
    })
}
