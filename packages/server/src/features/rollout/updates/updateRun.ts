import type { NewUpdateRun, UpdateAction, UpdateProgress, UpdateCommand } from '#contract'
import { cutIntoWaves, minute, type DeviceId, type Millis } from '#core'
import { firstRow, rows, time, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { announce } from '../../../live'
import { audit, ofClients, type Viewer } from '../../access'
import type { Releases } from './releases'
import { advance, eachRunning } from '../runs/advance'
import { control, updateTables } from '../runs/control'
import { addTask } from '../../../store/tasks'

/** Agents that fetch their program at the same time. */
const atOnce = 20
/** For the way of the task and the download, beyond the time that the new program has to report. */
const grace: Millis = 15 * minute

interface RunRow {
  id: number
  version: string
  minutes: number
  most_failed: number
  state: string
  wave: number
  waves: number
  created_by: number | null
}

export async function startUpdates(tx: Db, body: NewUpdateRun, releases: Releases, viewer: Viewer): Promise<number> {
  if (!releases.list().some((release) => release.version === body.version))
    throw new ProblemError('invalid', `This server has no agent of version “${body.version}”.`, [
      { at: 'version', message: 'not here' },
    ])
  const devices = await rows<{ id: DeviceId; name: string; agent_version: string; updatable: boolean; busy: boolean }>(
    tx,
    `
    select d.id, d.name, coalesce(d.agent_version, '') as agent_version, d.updatable,
           exists (select from update_device u join update_run r on r.id = u.run_id
           where u.device_id = d.id and u.state in ('waiting', 'going') and r.state in ('running', 'paused')) as busy
    from device d where d.id = any($1) and d.retired_at is null and ${ofClients('d.client_id', 2)} order by d.id`,
    [body.deviceIds, viewer.clientIds],
  )
  const fail = (detail: string): never => {
    throw new ProblemError('invalid', detail, [{ at: 'deviceIds', message: 'cannot be updated' }])
  }
  if (devices.length !== body.deviceIds.length) fail('One of these devices is not there, or not yours to see.')
  const fixed = devices.find((device) => !device.updatable)
  if (fixed)
    fail(
      `The agent of ${fixed.name} cannot be updated from here: it was not started by its starter. Install it anew, or leave the device out.`,
    )
  const busy = devices.find((device) => device.busy)
  if (busy) fail(`${busy.name} is in another update that is not over. Stop that one first, or leave the device out.`)
  // In the order in which they were chosen: the first of them are the first wave.
  const byId = new Map(devices.map((device) => [device.id, device]))
  const waves = cutIntoWaves(body.deviceIds.length, body.waves)
  const { id } = (await firstRow<{ id: number }>(
    tx,
    'insert into update_run (version, minutes, most_failed, waves, created_by) values ($1, $2, $3, $4, $5) returning id',
    [body.version, body.minutes, body.mostFailed, Math.max(...waves), viewer.id],
  ))!
  await tx.query(
    `insert into update_device (run_id, device_id, wave, from_version) select $1, d.id, d.wave, d.version
     from unnest($2::int[], $3::int[], $4::text[]) d (id, wave, version)`,
    [id, body.deviceIds, waves, body.deviceIds.map((deviceId) => byId.get(deviceId)!.agent_version)],
  )
  await audit(tx, {
    personId: viewer.id,
    action: 'started',
    kind: 'agent update',
    id,
    detail: { version: body.version, devices: devices.length, waves: body.waves },
  })
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  return id
}

/** Whoever is limited to some clients controls only runs that are theirs alone. */
const isWholly = `($2::int[] is null or not exists (select from update_device u join device d on d.id = u.device_id where u.run_id = r.id and d.client_id <> all($2)))`

export async function controlUpdates(tx: Db, viewer: Viewer, id: number, action: UpdateAction): Promise<void> {
  const run = await firstRow<RunRow>(tx, `select r.* from update_run r where r.id = $1 and ${isWholly} for update`, [
    id,
    viewer.clientIds,
  ])
  if (!run) throw new ProblemError('no-such-run')
  await control(tx, updateTables, run, action, viewer.name)
  await audit(tx, { personId: viewer.id, action, kind: 'agent update', id })
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
}

/** The command as it is handed over. Null when the run was stopped meanwhile. */
export async function updateCommand(tx: Db, runId: number): Promise<UpdateCommand | null> {
  const run = await firstRow<RunRow>(tx, `select * from update_run where id = $1 and state <> 'stopped'`, [runId])
  return run && { kind: 'update', version: run.version, within: run.minutes * minute }
}

/**
 * What an agent tells of its update; one that had proved itself may come down again and again, and be given up after
 * all.
 */
export async function recordUpdate(
  tx: Db,
  deviceId: DeviceId,
  taskId: number,
  progress: UpdateProgress,
): Promise<boolean> {
  const state = ({ running: 'going', done: 'updated', failed: 'failed' } as const)[progress.state]
  const found = await firstRow<{ client_id: number }>(
    tx,
    `
    update update_device u set state = $3, step = $4, reason = $5, changed_at = now() from device d
    where u.task_id = $1 and u.device_id = $2 and d.id = $2
    and (u.state = 'going' or u.state = 'updated' and $3 = 'failed') returning d.client_id`,
    [taskId, deviceId, state, progress.step, progress.reason],
  )
  if (!found) return false
  if (progress.state !== 'running') await tx.query(`update device_task set state = 'over' where id = $1`, [taskId])
  announce(tx, { topic: 'estate', clientIds: [found.client_id], deviceIds: [] })
  return true
}

/** Moves every update on by one turn. */
export async function advanceUpdates(pool: Pool, now: Millis): Promise<void> {
  // A report under the new version is proof enough, should the news of it have been lost.
  await pool.query(
    `
    with settled as (
      update update_device u set state = 'updated', step = '', reason = '', changed_at = now()
      from update_run r, device d
      where u.state = 'going' and r.id = u.run_id and d.id = u.device_id and d.agent_version = r.version
      and u.from_version <> r.version and u.changed_at < $1 returning u.task_id
    ), late as (
      update update_device u
      set state = 'failed', reason = 'Nothing was heard of it in time: it does not report, or its way here has closed.',
      changed_at = now() from update_run r
      where u.state = 'going' and r.id = u.run_id and u.changed_at < $2::timestamptz - make_interval(mins => r.minutes)
      returning u.task_id
    )
    update device_task set state = 'over' where id in (select task_id from settled union select task_id from late)`,
    [time(now - minute), time(now - grace)],
  )
  await eachRunning<RunRow>(pool, 'update_run', 'select r.* from update_run r', async (tx, run) => {
    const hasMoved = await advance(tx, updateTables, run, atOnce, async (deviceId) => ({
      taskId: await addTask(tx, deviceId, { kind: 'update', runId: run.id }, now + grace),
      step: 'waiting for its next report',
    }))
    if (hasMoved) announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  })
}
