import { evaluate, hour, second, silentIntervals, targets, windowEnd, type Millis } from '#core'
import { ensurePartitions, inTransaction, rows, time, type Db, type Pool } from '../db'
import { allTraits } from '../features/estate/traits'
import { windowOf, type WindowRow } from '../features/maintenance/store'
import { announce } from '../live'
import { writeChanges, writeState } from './commit'
import { loadContext } from './context'
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
    const devices = await allTraits(tx)
    for (const row of due) {
      const window = windowOf(row)
      const end = windowEnd(window)
      const over = end !== null && end <= now
      const touched = devices.filter((device) => targets(window.target, device))
      await reconsiderAll(tx, touched.map((device) => device.id), over ? end : now)
      await tx.query('update window_progress set begun = true, over = $2 where window_id = $1', [window.id, over])
      await announce(tx, { topic: 'windows', clientIds: row.client_id === null ? null : [row.client_id], deviceIds: [] })
    }
    return due.length
  })
}

function judgeSilence(context: DeviceContext, heardAt: Millis, now: Millis) {
  const interval = context.reportedInterval ?? context.interval
  return evaluate(context.state, context.roster, { at: now, interval, heardAt, readings: [], facts: context.facts, events: [], failed: [] }, interval, (watch) => watch.kind === 'silence')
}

/**
 * Raises silence. Only reports can end it. After a start the devices get their time anew: while the server was away nobody
 * could be heard, and that is not their silence.
 */
async function silenceOf(tx: Db, deviceId: number, startedAt: Millis, now: Millis): Promise<boolean> {
  const context = await loadContext(tx, deviceId, true)
  if (!context || context.heardAt === null) return false
  const grace = judgeSilence(context, Math.max(context.heardAt, startedAt), now)
  if (!grace.transitions.some((one) => one.kind === 'raised')) return false
  const result = judgeSilence(context, context.heardAt, now)
  await writeState(tx, deviceId, context.state, result.state)
  await writeChanges(tx, context, result.transitions)
  await settlePosts(tx, context, await readAlerting(tx, deviceId), result.state, now)
  await tx.query('update device set version = version + 1 where id = $1', [deviceId])
  await announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  return true
}

export async function noticeSilence(pool: Pool, startedAt: Millis, now: Millis): Promise<number> {
  // Scans the devices in use; those already known to be silent are left out by their alert or
  // held record.
  const quiet = await rows<{ id: number }>(pool, `
    select d.id from device d
    where d.retired_at is null and d.heard_at < $1::timestamptz - make_interval(secs => $2::float8 * coalesce(d.reported_interval_ms, d.interval_ms) / 1000.0)
      and not exists (select from alert a where a.device_id = d.id and a.status <> 'closed' and a.rule->>'kind' = 'silence')
      and not exists (select from held h where h.device_id = d.id and h.ended_at is null and h.rule->>'kind' = 'silence')
    order by d.id limit 1000`, [time(now), silentIntervals])
  let raised = 0
  for (const { id } of quiet) if (await inTransaction(pool, (tx) => silenceOf(tx, id, startedAt, now))) raised++
  return raised
}

/** Runs what must happen without a report. A round that fails is logged and tried again. */
export function startTimers(pool: Pool, log: { error(fields: object, text: string): void }): () => Promise<void> {
  const startedAt = Date.now()
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
  timers.set('silence', every(2 * second, 'silence', () => noticeSilence(pool, startedAt, Date.now())))
  timers.set('partitions', every(6 * hour, 'partitions', () => ensurePartitions(pool, Date.now())))
  timers.set('sessions', every(hour, 'sessions', () => pool.query(`with old as (delete from sign_in_failure where at < now() - interval '1 day') delete from session where expires_at < now()`)))
  return async () => {
    stopped = true
    for (const timer of timers.values()) clearTimeout(timer)
    await running
  }
}
