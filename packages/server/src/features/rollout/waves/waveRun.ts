import { ageText, cutIntoWaves, day, goesAt, minute, type DeviceId, type FailureKind, type Millis } from '#core'
import type { DeployProgress, DeployCommand, NewWaveRun, RunAction } from '#contract'
import { firstRow, time, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { announce } from '../../../live'
import { audit, digest, makeSecret, ofClients, type Viewer } from '../../access'
import { openCredentials } from '../credentials/credentials'
import { acceptedKey, acceptKeys, noteSeen } from '../sweeps/hostKeys'
import { advance, eachRunning } from '../runs/advance'
import { control, waveTables } from '../runs/control'
import { addTask } from '../../../store/tasks'
import type { Vault } from '../../../secrets/vault'

/** Machines gone to at the same time, by one agent. */
const atOnce = 4
/** For one machine, from the first contact to the agent in place. */
const within: Millis = 4 * minute
/** The agent takes its task with its next report; after this the machine counts as failed. */
const patience: Millis = within + 2 * minute

interface RunRow {
  id: number
  site_id: number
  client_id: number
  device_id: DeviceId
  name: string
  state: string
  wave: number
  waves: number
  most_failed: number
  hours_from: number | null
  hours_until: number | null
  zone: string
  key_sealed: Buffer
  credential_ids: number[]
  created_by: number | null
  passwords_to_unknown: boolean
}
const runSelect = 'select r.*, s.client_id, s.zone from wave_run r join site s on s.id = r.site_id'
const keyContext = (keyId: number) => `enrolment key ${keyId}`

/** Makes the run and the enrolment key that its machines use. */
export async function startRun(
  tx: Db,
  vault: Vault,
  body: NewWaveRun,
  clientId: number,
  viewer: Viewer,
): Promise<number> {
  const secret = makeSecret()
  const { id: keyId } = (await firstRow<{ id: number }>(
    tx,
    `
    insert into enrolment_key (site_id, client_id, secret_digest, label, uses, uses_left, expires_at, kind, roles, tags,
    created_by) values ($1, $2, $3, $4, $5, $5, $6, $7, $8, $9, $10) returning id`,
    [
      body.siteId,
      clientId,
      digest(secret),
      `waves: ${body.name}`,
      body.machines.length,
      time(Date.now() + 30 * day),
      body.kind,
      body.roles,
      body.tags,
      viewer.id,
    ],
  ))!
  const waves = cutIntoWaves(body.machines.length, body.waves)
  const { id } = (await firstRow<{ id: number }>(
    tx,
    `
    insert into wave_run (site_id, device_id, name, kind, roles, tags, credential_ids, most_failed, hours_from,
    hours_until, key_id, key_sealed, waves, created_by, passwords_to_unknown)
    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15) returning id`,
    [
      body.siteId,
      body.deviceId,
      body.name,
      body.kind,
      body.roles,
      body.tags,
      body.credentialIds,
      body.mostFailed,
      body.hoursFrom,
      body.hoursUntil,
      keyId,
      vault.seal(secret, keyContext(keyId)),
      Math.max(...waves),
      viewer.id,
      body.passwordsToUnknown,
    ],
  ))!
  await tx.query(
    `insert into wave_machine (run_id, n, address, name, wave) select $1, m.n, m.address, m.name, m.wave
     from unnest($2::int[], $3::text[], $4::text[], $5::int[]) m (n, address, name, wave)`,
    [
      id,
      body.machines.map((_, i) => i + 1),
      body.machines.map((machine) => machine.address),
      body.machines.map((machine) => machine.name),
      waves,
    ],
  )
  if (body.takeOver)
    await tx.query(
      'update device set reinstall_until = $3 where client_id = $1 and lower(name) = any($2) and retired_at is null',
      [
        clientId,
        body.machines.flatMap((machine) => (machine.name === null ? [] : [machine.name.toLowerCase()])),
        time(Date.now() + day),
      ],
    )
  await audit(tx, {
    personId: viewer.id,
    action: 'started',
    kind: 'wave run',
    id,
    clientId,
    detail: {
      machines: body.machines.length,
      waves: body.waves,
      credentials: body.credentialIds,
      takeOver: body.takeOver,
      passwordsToUnknown: body.passwordsToUnknown,
    },
  })
  announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
  return id
}

/** Pause, resume, stop, or try again what failed. What is on its way to a machine is let finish. */
export async function controlRun(tx: Db, viewer: Viewer, id: number, action: RunAction): Promise<void> {
  const run = await firstRow<RunRow>(
    tx,
    `${runSelect} where r.id = $1 and ${ofClients('s.client_id', 2)} for update of r`,
    [id, viewer.clientIds],
  )
  if (!run) throw new ProblemError('no-such-run')
  await control(tx, waveTables, run, action, viewer.name)
  await audit(tx, { personId: viewer.id, action, kind: 'wave run', id, clientId: run.client_id })
  announce(tx, { topic: 'estate', clientIds: [run.client_id], deviceIds: [] })
}

/** @throws ProblemError where it is not there, or is on its way or has its agent already */
export async function renameMachine(tx: Db, viewer: Viewer, id: number, n: number, name: string): Promise<void> {
  const run = await firstRow<RunRow>(
    tx,
    `${runSelect} where r.id = $1 and ${ofClients('s.client_id', 2)} for update of r`,
    [id, viewer.clientIds],
  )
  if (!run) throw new ProblemError('no-such-run')
  const renamed = await firstRow(
    tx,
    `update wave_machine set name = $3 where run_id = $1 and n = $2 and state in ('waiting', 'failed') returning n`,
    [id, n, name],
  )
  if (!renamed) throw new ProblemError('invalid', 'This machine is on its way, or has its agent already.')
  await audit(tx, {
    personId: viewer.id,
    action: 'renamed a machine of',
    kind: 'wave run',
    id,
    clientId: run.client_id,
    detail: { n, name },
  })
  announce(tx, { topic: 'estate', clientIds: [run.client_id], deviceIds: [] })
}

/**
 * The command for one machine, with its secrets; made only when it is handed over. Null when the run was stopped
 * meanwhile.
 */
export async function deployCommand(tx: Db, vault: Vault, runId: number, n: number): Promise<DeployCommand | null> {
  const run = await firstRow<RunRow & { key_id: number }>(tx, `${runSelect} where r.id = $1`, [runId])
  const machine = await firstRow<{ address: string; name: string | null }>(
    tx,
    `select address, name from wave_machine where run_id = $1 and n = $2 and state = 'going'`,
    [runId, n],
  )
  if (!run || !machine || run.state === 'stopped') return null
  const trials = await openCredentials(tx, vault, run.credential_ids, {
    clientId: run.client_id,
    by: run.created_by,
    detail: { run: runId, address: machine.address, device: run.device_id },
  })
  return {
    kind: 'deploy',
    address: machine.address,
    name: machine.name,
    trials,
    hostKey: await acceptedKey(tx, run.site_id, machine.address),
    passwordsToUnknown: run.passwords_to_unknown,
    enrolmentKey: vault.open(run.key_sealed, keyContext(run.key_id)),
    within,
  }
}

async function fail(tx: Db, runId: number, n: number, failure: FailureKind, reason: string): Promise<void> {
  await tx.query(
    `update wave_machine set state = 'failed', failure = $3, reason = $4, changed_at = now()
     where run_id = $1 and n = $2`,
    [runId, n, failure, reason],
  )
}

/** What an agent tells of one machine. */
export async function recordDeploy(
  tx: Db,
  deviceId: DeviceId,
  taskId: number,
  progress: DeployProgress,
): Promise<boolean> {
  const machine = await firstRow<{
    run_id: number
    n: number
    address: string
    site_id: number
    client_id: number
    created_by: number | null
    passwords_to_unknown: boolean
  }>(
    tx,
    `
    select m.run_id, m.n, m.address, r.site_id, s.client_id, r.created_by, r.passwords_to_unknown from wave_machine m
    join wave_run r on r.id = m.run_id join site s on s.id = r.site_id
    where m.task_id = $1 and r.device_id = $2 and m.state = 'going' for update of m`,
    [taskId, deviceId],
  )
  if (!machine) return false
  if (progress.hostKey !== null) {
    const key = { address: machine.address, fingerprint: progress.hostKey }
    await noteSeen(tx, machine.site_id, [key])
    // Who had a password sent there, whatever it is, has accepted what got it.
    if (machine.passwords_to_unknown)
      await acceptKeys(tx, { id: machine.site_id, clientId: machine.client_id }, [key], machine.created_by, false)
  }
  if (progress.state === 'failed')
    await fail(tx, machine.run_id, machine.n, progress.failure ?? 'something-else', progress.reason)
  else
    await tx.query(`update wave_machine set state = $3, step = $4, changed_at = now() where run_id = $1 and n = $2`, [
      machine.run_id,
      machine.n,
      progress.state === 'done' ? 'installed' : 'going',
      progress.step,
    ])
  if (progress.state !== 'running') await tx.query(`update device_task set state = 'over' where id = $1`, [taskId])
  announce(tx, { topic: 'estate', clientIds: [machine.client_id], deviceIds: [] })
  return true
}

/** It enrolled under the name it was sent, or, where it was left to call itself, has the address that was gone to. */
const isThatMachine = `(lower(a.name) = lower(m.name) or m.name is null and (a.address = m.address or exists (select from device k where k.id = a.device_id and m.address = any(k.addresses))))`

/** Which device a machine has become, of those that enrolled with the key of the run. */
async function matchDevices(tx: Db, run: RunRow & { key_id: number }): Promise<void> {
  await tx.query(
    `
    update wave_machine m set device_id = a.device_id from enrolment_attempt a
    where m.run_id = $1 and m.device_id is null and m.state in ('going', 'installed') and a.key_id = $2
    and a.outcome = 'enrolled' and ${isThatMachine}`,
    [run.id, run.key_id],
  )
}

async function advanceRun(tx: Db, run: RunRow & { key_id: number }, now: Millis): Promise<void> {
  await matchDevices(tx, run)
  if (!goesAt(run.hours_from, run.hours_until, now, run.zone)) {
    await tx.query('update wave_run set reason = $2 where id = $1', [
      run.id,
      `waits for its hours, ${run.hours_from} to ${run.hours_until} o’clock in ${run.zone}`,
    ])
    return
  }
  const hasMoved = await advance(tx, waveTables, run, atOnce, async (n) => ({
    taskId: await addTask(tx, run.device_id, { kind: 'deploy', runId: run.id, n }, now + patience),
    step: 'waiting for the device that goes there',
  }))
  if (hasMoved) announce(tx, { topic: 'estate', clientIds: [run.client_id], deviceIds: [] })
}

/** Moves every run on by one turn. */
export async function advanceRuns(pool: Pool, now: Millis): Promise<void> {
  // Also of runs that were paused or stopped meanwhile: what was on its way then may have been lost since.
  await pool.query(
    `
    with late as (update wave_machine set state = 'failed', failure = 'timed-out', reason = $2, changed_at = now()
    where state = 'going' and changed_at < $1 returning task_id)
    update device_task set state = 'over' where id in (select task_id from late)`,
    [
      time(now - patience),
      `Nothing was heard for ${ageText(patience)}: the device that goes there was restarted, or does not report.`,
    ],
  )
  await eachRunning<RunRow & { key_id: number }>(pool, 'wave_run', runSelect, (tx, run) => advanceRun(tx, run, now))
  // A run that is over still learns which devices its last machines became.
  await pool.query(`
    update wave_machine m set device_id = a.device_id from wave_run r, enrolment_attempt a
    where r.id = m.run_id and r.state <> 'running' and r.created_at > now() - interval '2 days'
    and m.state = 'installed' and m.device_id is null
      and a.key_id = r.key_id and a.outcome = 'enrolled' and ${isThatMachine}`)
}
