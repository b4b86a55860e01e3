import {
  beforeQuerySchema,
  madeSchema,
  newSweepSchema,
  sweepPageSchema,
  sweepPlansSchema,
  sweepsSchema,
  type NewSweep,
  type SweepCommand,
  type SweepPage,
  type SweepPlanView,
  type SweepProgress,
  type SweepView,
  type SweptHost,
} from '#contract'
import {
  ageText,
  hostsOf,
  inNetwork,
  minute,
  readNetwork,
  seemsToBe,
  sweepFault,
  sweptPorts,
  type Answering,
  type DeviceId,
  type Millis,
} from '#core'
import type { FastifyInstance } from 'fastify'
import { DateTime } from 'luxon'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../../db'
import { eachAlone } from '../../../engine/alone'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { announce } from '../../../live'
import { audit, requireClient, ofClients, type Viewer } from '../../access'
import { requireCredentials, openCredentials } from '../credentials/credentials'
import { acceptedKeys, acceptKeys, noteSeen, withKey, type KeyColumns } from './hostKeys'
import { nextOf } from './recurrence'
import { addTask, requireWorker } from '../../../store/tasks'
import type { Vault } from '../../../secrets/vault'

/** An agent takes its work with its next report; one that has been silent for so long will not come for it. */
const patience = 30 * minute
/** No word for so long from an agent that sweeps: it was restarted, or its way here has closed. */
const longestPause = 3 * minute

const known = `exists (select from device k where k.client_id = c.id and k.retired_at is null and host(h.address) = any(k.addresses))`
const sweepSelect = `
  select w.id, w.site_id as "siteId", s.name as "siteName", s.client_id as "clientId", c.name as "clientName",
  w.device_id as "deviceId", d.name as "deviceName", w.network, w.state, w.reason, w.scanned, w.total,
         w.started_at as "startedAt", w.ended_at as "endedAt", p.name as "startedBy",
         (select count(*) from sweep_host h where h.sweep_id = w.id)::int as answered,
         (select count(*) from sweep_host h where h.sweep_id = w.id and not ${known})::int as unknown
  from sweep w join site s on s.id = w.site_id join client c on c.id = s.client_id join device d on d.id = w.device_id
  left join person p on p.id = w.started_by
  where ${ofClients('s.client_id', 1)}`

/** By what a machine said of itself when it was signed in to. */
const familyOf = (system: string) => (/windows/i.test(system) ? 'Windows' : 'Linux or Unix')

async function sweepPage(db: Db, viewer: Viewer, id: number): Promise<SweepPage> {
  const sweep = await firstRow<SweepView>(db, `${sweepSelect} and w.id = $2`, [viewer.clientIds, id])
  if (!sweep) throw new ProblemError('no-such-sweep')
  const found = await rows<Answering & Pick<SweptHost, 'device' | 'signedIn'> & KeyColumns>(
    db,
    `
    select host(w.address) as address, w.name, w.ports, w.banner, h.seen, h.accepted,
           case when w.signed_in is null then null
           else jsonb_build_object('with', (select name from credential where id = (w.signed_in->>'trial')::int),
           'system', w.signed_in->>'system', 'agent', (w.signed_in->>'agent')::bool, 'reason',
           w.signed_in->>'reason') end as "signedIn",
           (select json_build_object('id', k.id, 'name', k.name) from device k
           where k.client_id = $2 and k.retired_at is null and host(w.address) = any(k.addresses) order by k.id
           limit 1) as device
    from sweep_host w left join host_key h on h.site_id = $3 and h.address = host(w.address) where w.sweep_id = $1
    order by w.address limit 5000`,
    [id, sweep.clientId, sweep.siteId],
  )
  return {
    ...sweep,
    // What was seen inside is no guess.
    hosts: found.map(withKey).map((host) => ({
      ...host,
      seems: host.signedIn?.system ? familyOf(host.signedIn.system) : seemsToBe(host),
    })),
  }
}

interface Place {
  zone: string
  networks: string[]
  client_id: number
}

/** The site and the device that sweeps it, when all is as it should be. */
async function checkSweep(tx: Db, body: NewSweep, viewer: Viewer): Promise<Place> {
  const site = await firstRow<Place>(tx, 'select zone, networks, client_id from site where id = $1', [body.siteId])
  if (!site) throw new ProblemError('no-such-site')
  requireClient(viewer, site.client_id, 'no-such-site')
  const fault = sweepFault(body.network, site.networks)
  if (fault) throw new ProblemError('invalid', fault, [{ at: 'network', message: 'may not be swept' }])
  if (!hostsOf(body.network).length)
    throw new ProblemError('invalid', 'Only IPv4 ranges are swept so far.', [{ at: 'network', message: 'not IPv4' }])
  await requireWorker(tx, body.deviceId, site.client_id)
  await requireCredentials(tx, body.credentialIds, site.client_id, body.siteId)
  if (body.passwordsToUnknown && body.rule !== null)
    throw new ProblemError(
      'invalid',
      'A sweep that comes again sends passwords only to machines whose key somebody has accepted: whoever stands there some other day is not known today.',
      [{ at: 'passwordsToUnknown', message: 'not with a rule' }],
    )
  return site
}

async function startSweep(
  tx: Db,
  body: Pick<NewSweep, 'siteId' | 'deviceId' | 'network' | 'credentialIds' | 'passwordsToUnknown'>,
  clientId: number,
  startedBy: number | null,
  planId: number | null,
): Promise<number> {
  const taskId = await addTask(
    tx,
    body.deviceId,
    { kind: 'sweep', network: body.network, ports: Object.keys(sweptPorts).map(Number) },
    Date.now() + patience,
  )
  const { id } = (await firstRow<{ id: number }>(
    tx,
    `insert into sweep (site_id, device_id, network, plan_id, task_id, started_by, total, credential_ids,
     passwords_to_unknown) values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
    [
      body.siteId,
      body.deviceId,
      body.network,
      planId,
      taskId,
      startedBy,
      hostsOf(body.network).length,
      body.credentialIds,
      body.passwordsToUnknown,
    ],
  ))!
  await audit(tx, {
    personId: startedBy,
    action: 'started',
    kind: 'sweep',
    id,
    clientId,
    detail: {
      network: body.network,
      deviceId: body.deviceId,
      plan: planId,
      passwordsToUnknown: body.passwordsToUnknown,
    },
  })
  announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
  return id
}

async function plan(tx: Db, body: NewSweep, { zone, client_id: clientId }: Place, viewer: Viewer): Promise<number> {
  const begins = `${DateTime.now().setZone(zone).toFormat('yyyyMMdd')}T${(body.at ?? '03:00').replace(':', '')}00`
  let nextAt: Millis | null
  try {
    nextAt = nextOf(body.rule!, begins, zone, Date.now())
  } catch (error) {
    throw new ProblemError(
      'invalid',
      `“${body.rule}” is no recurrence rule (RFC 5545): ${(error as Error).message}. Write it like FREQ=WEEKLY;BYDAY=MO.`,
      [{ at: 'rule', message: 'not a rule' }],
    )
  }
  const { id } = (await firstRow<{ id: number }>(
    tx,
    `insert into sweep_plan (site_id, device_id, network, rule, begins, next_at, created_by, credential_ids)
     values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
    [body.siteId, body.deviceId, body.network, body.rule, begins, time(nextAt), viewer.id, body.credentialIds],
  ))!
  await audit(tx, { personId: viewer.id, action: 'planned', kind: 'sweep', id, clientId, detail: body })
  announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
  return id
}

/** The command as it is handed over, with the sign-ins and the host keys of the site. */
export async function sweepCommand(tx: Db, vault: Vault, taskId: number, command: SweepCommand): Promise<SweepCommand> {
  const sweep = await firstRow<{
    id: number
    site_id: number
    client_id: number
    credential_ids: number[]
    started_by: number | null
    passwords_to_unknown: boolean
  }>(
    tx,
    `
    select w.id, w.site_id, s.client_id, w.credential_ids, w.started_by, w.passwords_to_unknown from sweep w
    join site s on s.id = w.site_id where w.task_id = $1`,
    [taskId],
  )
  if (!sweep?.credential_ids.length) return command
  return {
    ...command,
    trials: await openCredentials(tx, vault, sweep.credential_ids, {
      clientId: sweep.client_id,
      by: sweep.started_by,
      detail: { sweep: sweep.id, network: command.network },
    }),
    hostKeys: await acceptedKeys(tx, sweep.site_id, command.network),
    passwordsToUnknown: sweep.passwords_to_unknown,
  }
}

interface DuePlan {
  id: number
  site_id: number
  device_id: DeviceId
  network: string
  rule: string
  begins: string
  zone: string
  client_id: number
  networks: string[]
  credential_ids: number[]
}

/** Starts a sweep that is due, unless another process has just done so, and works out when the plan comes next. */
async function advancePlan(tx: Db, id: number, now: Millis): Promise<void> {
  const plan = await firstRow<DuePlan>(
    tx,
    `
    select p.id, p.site_id, p.device_id, p.network, p.rule, p.begins, p.credential_ids, s.zone, s.client_id, s.networks
    from sweep_plan p join site s on s.id = p.site_id
    where p.id = $1 and p.removed_at is null and p.next_at <= $2 for update of p skip locked`,
    [id, time(now)],
  )
  if (!plan) return
  let nextAt: Millis | null = null
  let trouble = ''
  try {
    nextAt = nextOf(plan.rule, plan.begins, plan.zone, now)
  } catch (error) {
    trouble = (error as Error).message.slice(0, 500)
  }
  // The networks of the site may have changed since; what is no longer its own is not swept.
  if (!sweepFault(plan.network, plan.networks))
    await startSweep(
      tx,
      {
        siteId: plan.site_id,
        deviceId: plan.device_id,
        network: plan.network,
        credentialIds: plan.credential_ids,
        passwordsToUnknown: false,
      },
      plan.client_id,
      null,
      plan.id,
    )
  await tx.query('update sweep_plan set next_at = $2, trouble = $3 where id = $1', [plan.id, time(nextAt), trouble])
}

/**
 * Starts what is due, each by itself, and gives up sweeps of which nothing was heard; every process may try, one does
 * it.
 */
export async function advanceSweeps(pool: Pool, now: Millis): Promise<void> {
  await pool.query(
    `
    update sweep w set state = 'failed', ended_at = now(), reason = case when w.state = 'waiting' then $3 else $4 end
    where w.ended_at is null and w.heard_at < case when w.state = 'waiting' then $1::timestamptz
    else $2::timestamptz end`,
    [
      time(now - patience),
      time(now - longestPause),
      `Its agent did not come for it within ${ageText(patience)}. Does it report?`,
      `Nothing was heard of it for ${ageText(longestPause)}: the agent was restarted, or its way here has closed. Start it again.`,
    ],
  )
  const due = await rows<{ id: number }>(
    pool,
    'select id from sweep_plan where removed_at is null and next_at <= $1 order by next_at limit 100',
    [time(now)],
  )
  await eachAlone(due, ({ id }) => inTransaction(pool, (tx) => advancePlan(tx, id, now)))
}

/** What an agent tells of its work. Told twice, it changes nothing. */
export async function recordSweep(tx: Db, deviceId: DeviceId, taskId: number, progress: SweepProgress): Promise<void> {
  const sweep = await firstRow<{
    id: number
    client_id: number
    site_id: number
    network: string
    started_by: number | null
    passwords_to_unknown: boolean
  }>(
    tx,
    `
    update sweep w set state = $3, reason = $4, scanned = greatest(w.scanned, $5), heard_at = now(), ended_at = case
    when $3 = 'running' then null else now() end
    from site s where w.task_id = $1 and w.device_id = $2 and s.id = w.site_id and w.ended_at is null
    returning w.id, w.site_id, w.network, s.client_id, w.started_by, w.passwords_to_unknown`,
    [taskId, deviceId, progress.state, progress.reason, progress.scanned],
  )
  if (!sweep) throw new ProblemError('no-such-task')
  // What it tells of other addresses is nothing that it was asked.
  const network = readNetwork(sweep.network)
  const found = progress.found.filter((host) => network !== null && inNetwork(host.address, network))
  await tx.query(
    `
    insert into sweep_host (sweep_id, address, name, ports, banner, signed_in) select $1, h.address::inet, h.name,
    array(select jsonb_array_elements_text(h.ports)::int), h.banner, h."signedIn"
    from jsonb_to_recordset($2) h (address text, name text, ports jsonb, banner text, "signedIn" jsonb)
    on conflict do nothing`,
    [sweep.id, JSON.stringify(found)],
  )
  const met = found.flatMap((host) =>
    host.signedIn?.hostKey ? [{ address: host.address, fingerprint: host.signedIn.hostKey }] : [],
  )
  await noteSeen(tx, sweep.site_id, met)
  // Who had passwords sent there, whatever it is, has accepted what got them.
  if (sweep.passwords_to_unknown)
    await acceptKeys(tx, { id: sweep.site_id, clientId: sweep.client_id }, met, sweep.started_by, false)
  for (const trial of new Set(found.flatMap((host) => host.signedIn?.trial ?? [])))
    await audit(tx, {
      personId: null,
      action: 'signed in with',
      kind: 'credential',
      id: trial,
      clientId: sweep.client_id,
      detail: {
        sweep: sweep.id,
        addresses: found.filter((host) => host.signedIn?.trial === trial).map((host) => host.address),
      },
    })
  if (progress.state !== 'running') await tx.query(`update device_task set state = 'over' where id = $1`, [taskId])
  announce(tx, { topic: 'estate', clientIds: [sweep.client_id], deviceIds: [] })
}

export function sweepRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'POST',
    url: '/api/sweeps',
    access: 'technician',
    summary: 'Sweep a network of a site from a device there: now, or by a recurrence rule',
    answer: madeSchema,
    body: newSweepSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        const site = await checkSweep(tx, body, viewer)
        return {
          id:
            body.rule === null
              ? await startSweep(tx, body, site.client_id, viewer.id, null)
              : await plan(tx, body, site, viewer),
        }
      }),
  })
  route(app, {
    method: 'GET',
    url: '/api/sweeps',
    access: 'technician',
    summary: 'Sweeps, newest first',
    answer: sweepsSchema,
    query: beforeQuerySchema,
    handle: ({ viewer, query }) =>
      rows<SweepView>(pool, `${sweepSelect} and ($2::int is null or w.id < $2) order by w.id desc limit $3`, [
        viewer.clientIds,
        query.before ?? null,
        query.limit,
      ]),
  })
  route(app, {
    method: 'GET',
    url: '/api/sweeps/:id',
    access: 'technician',
    summary: 'One sweep with what answered',
    answer: sweepPageSchema,
    handle: ({ viewer, id }) => sweepPage(pool, viewer, id()),
  })
  route(app, {
    method: 'GET',
    url: '/api/sweep-plans',
    access: 'technician',
    summary: 'Sweeps that come again',
    answer: sweepPlansSchema,
    handle: ({ viewer }) =>
      rows<SweepPlanView>(
        pool,
        `
      select p.id, p.site_id as "siteId", s.name as "siteName", s.client_id as "clientId", c.name as "clientName",
      d.name as "deviceName", p.network, p.rule, s.zone, p.next_at as "nextAt", p.trouble
      from sweep_plan p join site s on s.id = p.site_id join client c on c.id = s.client_id
      join device d on d.id = p.device_id
      where p.removed_at is null and ${ofClients('s.client_id', 1)} order by p.next_at limit 500`,
        [viewer.clientIds],
      ),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/sweep-plans/:id',
    access: 'technician',
    summary: 'Sweep no more by this plan',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ id: number; client_id: number }>(
          tx,
          `
        update sweep_plan p set removed_at = now() from site s
        where p.id = $1 and s.id = p.site_id and p.removed_at is null and ${ofClients('s.client_id', 2)}
        returning p.id, s.client_id`,
          [id(), viewer.clientIds],
        )
        if (!row) throw new ProblemError('no-such-sweep')
        await audit(tx, {
          personId: viewer.id,
          action: 'ended the plan of',
          kind: 'sweep',
          id: row.id,
          clientId: row.client_id,
        })
        return { id: row.id }
      }),
  })
}
