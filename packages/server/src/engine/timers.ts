import { evaluate, hour, matcher, second, silentIntervals, windowEnd, type DeviceId, type Millis } from '#core'
import { ensurePartitions, inTransaction, rows, time, type Db, type Pool } from '../db'
import { allTraits } from '../features/estate/traits'
import { windowOf, type WindowRow } from '../features/maintenance/store'
import { turnSweeps } from '../features/rollout/sweeps'
import { turnUpdates } from '../features/rollout/updateRun'
import { turnRuns, turnsEvery } from '../features/rollout/waveRun'
import { announce } from '../live'
import { writeChanges, writeState } from './commit'
import { loadContext } from './context'
import { turnMendings } from './mending'
import { reconsiderAll } from './reconsider'
import { readAlerting, settlePosts } from './settleDevice'
import type { DeviceContext } from './types'

/** Windows whose beginning or end has come and was not carried out yet; locked, so that one process does each. */
async function dueWindows(tx: Db, now: Millis): Promise<WindowRow[]> {
  return rows<WindowRow>(tx, `
    select w.* from window_progress p join maintenance_window w on w.id = p.window_id
    where not p.over and ((not p.begun and w.from_at <= $1) or least(w.until_at, w.ended_at) <= $1)
    order by p.window_id limit 50`, [time(now)])
}

/** Begins and ends windows on time. What still fails at the end is raised then. */
export async function turnWindows(pool: Pool, now: Millis): Promise<number> {
  return inTransaction(pool, async (tx) => {
    const { locked } = (await rows<{ locked: boolean }>(tx, `select pg_try_advisory_xact_lock(hashtext('custode windows')) as locked`))[0]!
    if (!locked) return 0
    const due = await dueWindows(tx, now)
    if (!due.length) return 0
    const devices = await allTraits(tx, due.map((row) => row.target))
    for (const row of due) {
      const window = windowOf(row)
      const end = windowEnd(window)
      const over = end !== null && end <= now
      const touched = devices.filter(matcher(window.target))
      await reconsiderAll(tx, touched.map((device) => device.id), over ? end : now)
      await tx.query('update window_progress set begun = true, over = $2 where window_id = $1', [window.id, over])
      announce(tx, { topic: 'windows', clientIds: row.client_id === null ? null : [row.client_id], deviceIds: [] })
    }
    return due.length
  })
}

function judgeSilence(context: DeviceContext, heardAt: Millis, now: Millis) {
  const interval = context.reportedInterval ?? context.interval
  return evaluate(context.state, context.roster, { at: now, interval, heardAt, readings: [], facts: context.facts, events: [], failed: [], zone: context.zone }, interval, (watch) => watch.kind === 'silence')
}

/**
 * Raises silence. Only reports can end it. After a start the devices get their time anew: while the server was away nobody
 * could be heard, and that is not their silence.
 */
async function silenceOf(tx: Db, deviceId: number, startedAt: Millis, now: Millis): Promise<boolean | 'unwatched'> {
  const context = await loadContext(tx, deviceId, true)
  if (!context || context.heardAt === null) return false
  if (!context.roster.some((watch) => watch.kind === 'silence' && watch.standing === 'active')) return 'unwatched'
  const grace = judgeSilence(context, Math.max(context.heardAt, startedAt), now)
  if (!grace.transitions.some((one) => one.kind === 'raised')) return false
  const result = judgeSilence(context, context.heardAt, now)
  await writeState(tx, deviceId, context.state, result.state)
  await writeChanges(tx, context, result.transitions)
  await settlePosts(tx, context, await readAlerting(tx, deviceId), result.state, now, now)
  await tx.query('update device set version = version + 1 where id = $1', [deviceId])
  announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  return true
}

/**
 * Makes the round that notices silence, for one process that began at `startedAt`. It remembers, until they change, the
 * devices that may be silent, such as workstations at night: they cost nothing in the rounds after.
 */
export function silenceRound(pool: Pool, startedAt: Millis): (now: Millis) => Promise<number> {
  const unwatched = new Map<DeviceId, number>()
  return async (now) => {
    let raised = 0
    for (let after = 0; ;) {
      const quiet = await quietDevices(pool, now, after)
      for (const { id, version } of quiet) {
        if (unwatched.get(id) === version) continue
        const result = await inTransaction(pool, (tx) => silenceOf(tx, id, startedAt, now))
        if (result === 'unwatched') unwatched.set(id, version)
        else if (result) raised++
      }
      if (quiet.length < quietAtOnce) return raised
      after = quiet.at(-1)!.id
    }
  }
}

const quietAtOnce = 1000

function quietDevices(db: Db, now: Millis, after: DeviceId): Promise<{ id: DeviceId; version: number }[]> {
  // Scans the devices in use; those already known to be silent are left out by their alert or
  // held record.
  return rows(db, `
    select d.id, d.version from device d
    where d.id > $3 and d.retired_at is null and d.heard_at < $1::timestamptz - make_interval(secs => $2::float8 * coalesce(d.reported_interval_ms, d.interval_ms) / 1000.0)
      and not exists (select from alert a where a.device_id = d.id and a.status <> 'closed' and a.rule->>'kind' = 'silence')
      and not exists (select from held h where h.device_id = d.id and h.ended_at is null and h.rule->>'kind' = 'silence')
    order by d.id limit $4`, [time(now), silentIntervals, after, quietAtOnce])
}

/** Runs what must happen without a report. A round that fails is logged and tried again. */
export function startTimers(pool: Pool, log: { error(fields: object, text: string): void }): () => Promise<void> {
  const noticeSilence = silenceRound(pool, Date.now())
  let stopped = false
  let running: Promise<unknown> = Promise.resolve()
  const every = (length: Millis, name: string, work: () => Promise<unknown>): NodeJS.Timeout => {
    const timer = setTimeout(() => {
      running = work()
        .catch((error: unknown) => log.error({ err: error, timer: name }, 'timer failed'))
        .finally(() => { if (!stopped) timers.set(name, every(length, name, work)) })
    }, length)
    return timer
  }
  const timers = new Map<string, NodeJS.Timeout>()
  timers.set('windows', every(second, 'windows', () => turnWindows(pool, Date.now())))
  timers.set('silence', every(2 * second, 'silence', () => noticeSilence(Date.now())))
  timers.set('mendings', every(second, 'mendings', () => turnMendings(pool, Date.now())))
  timers.set('sweeps', every(5 * second, 'sweeps', () => turnSweeps(pool, Date.now())))
  timers.set('waves', every(turnsEvery, 'waves', () => turnRuns(pool, Date.now())))
  timers.set('updates', every(turnsEvery, 'updates', () => turnUpdates(pool, Date.now())))
  timers.set('partitions', every(6 * hour, 'partitions', () => ensurePartitions(pool, Date.now())))
  timers.set('sessions', every(hour, 'sessions', () => pool.query(`with old as (delete from sign_in_failure where at < now() - interval '1 day') delete from session where expires_at < now()`)))
  return async () => {
    stopped = true
    for (const timer of timers.values()) clearTimeout(timer)
    await running
  }
}
