import {
  evaluate,
  hour,
  matcher,
  minute,
  postKey,
  second,
  silentIntervals,
  windowEnd,
  type DeviceId,
  type Millis,
} from '#core'
import { ensurePartitions, firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { forgetHours } from '../store/logHours'
import { allTraits } from '../store/traits'
import { windowOf, type WindowRow } from '../store/windows'
import { announce } from '../live'
import { eachAlone } from './alone'
import { loadContext } from './context'
import { advanceRemediations } from './remediation/remediation'
import { reevaluateAll } from './reevaluate'
import { readAlerting, settlePosts } from './settleDevice'
import { dailyRetention } from './retention'
import { settleDue } from './settling'
import type { DeviceContext } from './types'
import { writeChanges, writeState } from './writeState'

/** Windows whose beginning or end has come and was not carried out yet. */
function dueWindows(db: Db, now: Millis, id: number | null = null): Promise<WindowRow[]> {
  return rows<WindowRow>(
    db,
    `
    select w.* from window_progress p join maintenance_window w on w.id = p.window_id
    where not p.over and ((not p.begun and w.from_at <= $1) or least(w.until_at, w.ended_at) <= $1)
    and ($2::int is null or p.window_id = $2)
    order by p.window_id limit 50`,
    [time(now), id],
  )
}

/** Begins or ends one window, unless another process has just done so. */
async function advanceWindow(tx: Db, id: number, now: Millis): Promise<boolean> {
  if (!(await firstRow(tx, 'select from window_progress where window_id = $1 for update skip locked', [id])))
    return false
  // As it is now: it may have been ended, extended or carried out a moment ago.
  const [row] = await dueWindows(tx, now, id)
  if (!row) return false
  const window = windowOf(row)
  const end = windowEnd(window)
  const over = end !== null && end <= now
  const touched = (await allTraits(tx, [row.target])).filter(matcher(window.target))
  await reevaluateAll(tx, new Map(touched.map((device) => [device.id, null])), over ? end : now)
  await tx.query('update window_progress set begun = true, over = $2 where window_id = $1', [window.id, over])
  announce(tx, { topic: 'windows', clientIds: row.client_id === null ? null : [row.client_id], deviceIds: [] })
  return true
}

/** Begins and ends windows on time, each by itself. What still fails at the end is raised then. */
export async function advanceWindows(pool: Pool, now: Millis): Promise<number> {
  let turned = 0
  await eachAlone(await dueWindows(pool, now), async ({ id }) => {
    if (await inTransaction(pool, (tx) => advanceWindow(tx, id, now))) turned++
  })
  return turned
}

function judgeSilence(context: DeviceContext, heardAt: Millis, now: Millis) {
  const interval = context.reportedInterval ?? context.interval
  return evaluate(
    context.state,
    context.roster,
    { at: now, interval, heardAt, readings: [], facts: context.facts, events: [], failed: [], zone: context.zone },
    interval,
    (watch) => watch.kind === 'silence',
  )
}

/**
 * Raises silence. Only reports can end it. Devices get their time anew whenever nobody could be heard: that is not
 * their silence. @returns when the next silence watch of the device may have to raise; null: none will while it stays
 * as it is
 */
async function silenceOf(
  tx: Db,
  deviceId: DeviceId,
  hearingSince: Millis,
  now: Millis,
): Promise<{ raised: boolean; next: Millis | null }> {
  const context = await loadContext(tx, deviceId, true)
  if (!context || context.heardAt === null) return { raised: false, next: null }
  const watches = context.roster.filter((watch) => watch.kind === 'silence' && watch.standing === 'active')
  const from = Math.max(context.heardAt, hearingSince)
  const gap = silentIntervals * (context.reportedInterval ?? context.interval)
  const due = watches.map((watch) => ({
    watch,
    at: from + Math.max(gap, Number(watch.values.after)) + 1,
    failing: (context.state.get(postKey(watch.key, ''))?.level ?? null) !== null,
  }))
  const open = due.filter((post) => !post.failing)
  // A watch with hours may look only later: it is asked again every minute until it has spoken.
  const nextOf = (rest: typeof due) =>
    rest.length ? Math.min(...rest.map((post) => (post.at > now ? post.at : now + minute))) : null
  if (!open.some((post) => post.at <= now)) return { raised: false, next: nextOf(open) }
  const ready = new Set(open.filter((post) => post.at <= now).map((post) => post.watch.key))
  const result = judgeSilence(
    { ...context, roster: context.roster.filter((watch) => watch.kind !== 'silence' || ready.has(watch.key)) },
    context.heardAt,
    now,
  )
  const raised = new Set(
    result.transitions.filter((transition) => transition.kind === 'raised').map((transition) => transition.watch),
  )
  if (!raised.size) return { raised: false, next: nextOf(open) }
  await writeState(tx, deviceId, context.state, result.state)
  await writeChanges(tx, context, result.transitions)
  await settlePosts(tx, context, await readAlerting(tx, deviceId), result.state, now, now)
  await tx.query('update device set version = version + 1 where id = $1', [deviceId])
  announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  return { raised: true, next: nextOf(open.filter((post) => !raised.has(post.watch.key))) }
}

/** Without a sign of any server process for so long, nobody could be heard. */
const deafAfter: Millis = 15 * second

/**
 * Since when devices can be heard without a break, by any server process: each round says that it is there. While the
 * database or all servers were away, no round could. @param now of the round that asks
 */
export async function hearingSince(pool: Pool, now: Millis): Promise<Millis> {
  const row = await firstRow<{ since: Millis }>(
    pool,
    `
    insert into hearing (since, last) values ($1, $1)
    on conflict (id) do update
    set since = case when hearing.last < $1::timestamptz - make_interval(secs => $2) then $1
    else hearing.since end, last = greatest(hearing.last, $1)
    returning since`,
    [time(now), deafAfter / second],
  )
  return row!.since
}

interface QuietDevice {
  id: DeviceId
  version: number
  heardAt: Millis
}

/**
 * Makes the round that notices silence, for one process. It remembers of each quiet device, until that changes, when
 * it has to be looked at again: workstations at night, which may be silent, cost nothing in the rounds after.
 */
export function silenceRound(pool: Pool): (now: Millis) => Promise<number> {
  let settled = new Map<DeviceId, QuietDevice & { next: Millis; since: Millis }>()
  return async (now) => {
    const since = await hearingSince(pool, now)
    let raised = 0
    const still: typeof settled = new Map()
    for (let after = 0; ;) {
      const quiet = await quietDevices(pool, now, after)
      const due = quiet.filter(({ id, version, heardAt }) => {
        const known = settled.get(id)
        if (
          !known ||
          known.version !== version ||
          known.heardAt !== heardAt ||
          known.since !== since ||
          known.next <= now
        )
          return true
        still.set(id, known)
        return false
      })
      await eachAlone(due, async (device) => {
        const result = await inTransaction(pool, (tx) => silenceOf(tx, device.id, since, now))
        if (result.raised) raised++
        // One that was raised has another version now, and is read once more in the next round.
        else still.set(device.id, { ...device, since, next: result.next ?? Infinity })
      })
      if (quiet.length < quietAtOnce) break
      after = quiet.at(-1)!.id
    }
    settled = still
    return raised
  }
}

const quietAtOnce = 1000

function quietDevices(db: Db, now: Millis, after: DeviceId): Promise<QuietDevice[]> {
  // Scans the devices in use by primary key.
  return rows(
    db,
    `
    select d.id, d.version, d.heard_at as "heardAt" from device d
    where d.id > $3 and d.retired_at is null
    and d.heard_at < $1::timestamptz - make_interval(secs => $2::float8 * coalesce(d.reported_interval_ms,
    d.interval_ms) / 1000.0)
    order by d.id limit $4`,
    [time(now), silentIntervals, after, quietAtOnce],
  )
}

/** Something that must happen without a report. */
export interface Job {
  name: string
  /** Between the end of one round and the beginning of the next. */
  every: Millis
  work(now: Millis): Promise<unknown>
}

/** What becomes of devices, alerts and windows with time. */
export function engineJobs(pool: Pool): Job[] {
  return [
    { name: 'windows', every: second, work: (now) => advanceWindows(pool, now) },
    { name: 'silence', every: 2 * second, work: silenceRound(pool) },
    { name: 'remediations', every: second, work: (now) => advanceRemediations(pool, now) },
    { name: 'settling', every: second / 2, work: (now) => settleDue(pool, now) },
    { name: 'partitions', every: 6 * hour, work: (now) => ensurePartitions(pool, now) },
    { name: 'retention', every: hour / 6, work: (now) => dailyRetention(pool, now) },
    { name: 'log hours', every: hour, work: (now) => forgetHours(pool, now) },
  ]
}

/**
 * Does each job again and again, each at its own pace. A round that fails is logged and tried again.
 * @returns ends them, once what is under way is over
 */
export function startTimers(
  jobs: readonly Job[],
  log: { error(fields: object, text: string): void },
): () => Promise<void> {
  let stopped = false
  const timers = new Map<string, NodeJS.Timeout>()
  const running = new Map<string, Promise<void>>()
  const schedule = ({ name, every, work }: Job): void => {
    timers.set(
      name,
      setTimeout(() => {
        running.set(
          name,
          work(Date.now())
            .catch((error: unknown) => {
              log.error({ err: error, timer: name }, 'timer failed')
            })
            .then(() => {
              if (!stopped) schedule({ name, every, work })
            }),
        )
      }, every),
    )
  }
  for (const job of jobs) schedule(job)
  return async () => {
    stopped = true
    for (const timer of timers.values()) clearTimeout(timer)
    await Promise.all(running.values())
  }
}
