import { evaluate, minute, postKey, second, silentIntervals, type DeviceId, type Millis } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { announce } from '../live'
import { eachAlone } from './alone'
import { loadContext, loadContexts } from './context'
import { readAlerting } from './alerting'
import { settlePosts } from './settleDevice'
import type { DeviceContext } from './types'
import { writeChanges, writeState } from './writeState'

type Judged = ReturnType<typeof evaluate>

/** What silence will do to a device that stays as it is. */
interface Outlook {
  /** What has to be raised now. */
  result: Judged | null
  /** Posts of it that are raised. */
  raised: ReadonlySet<string>
  /** When the next silence watch of the device may have to raise; null: none will. */
  next: Millis | null
}
const nothing: Outlook = { result: null, raised: new Set(), next: null }

/**
 * Only reports can end silence. Devices get their time anew whenever nobody could be heard: that is not their silence.
 */
function outlook(context: DeviceContext, hearingSince: Millis, now: Millis): Outlook {
  const { heardAt } = context
  if (heardAt === null) return nothing
  const interval = context.reportedInterval ?? context.interval
  const from = Math.max(heardAt, hearingSince)
  const open = context.roster
    .filter((watch) => watch.kind === 'silence' && watch.standing === 'active')
    .filter((watch) => (context.state.get(postKey(watch.key, ''))?.level ?? null) === null)
    .map((watch) => ({
      key: watch.key,
      at: from + Math.max(silentIntervals * interval, Number(watch.values.after)) + 1,
    }))
  // A watch with hours may look only later: it is asked again every minute until it has spoken.
  const nextOf = (rest: typeof open) =>
    rest.length ? Math.min(...rest.map((post) => (post.at > now ? post.at : now + minute))) : null
  const ready = new Set(open.filter((post) => post.at <= now).map((post) => post.key))
  if (!ready.size) return { ...nothing, next: nextOf(open) }
  const result = evaluate(
    context.state,
    context.roster.filter((watch) => watch.kind !== 'silence' || ready.has(watch.key)),
    { at: now, interval, heardAt, readings: [], facts: context.facts, events: [], failed: [], zone: context.zone },
    interval,
    (watch) => watch.kind === 'silence',
  )
  const raised = new Set(
    result.transitions.filter((transition) => transition.kind === 'raised').map((transition) => transition.watch),
  )
  return raised.size
    ? { result, raised, next: nextOf(open.filter((post) => !raised.has(post.key))) }
    : { ...nothing, next: nextOf(open) }
}

/** Raises the silence of a device, if it is still to be raised. */
async function raiseSilence(tx: Db, deviceId: DeviceId, hearingSince: Millis, now: Millis): Promise<boolean> {
  const context = await loadContext(tx, deviceId, true)
  const result = context && outlook(context, hearingSince, now).result
  if (!result) return false
  await writeState(tx, deviceId, context.state, result.state)
  await writeChanges(tx, context, result.transitions)
  await settlePosts(tx, context, await readAlerting(tx, deviceId), result.state, now, now)
  await tx.query('update device set version = version + 1 where id = $1', [deviceId])
  announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  return true
}

/** Without a sign of any server process for so long, nobody could be heard. */
const deafAfter: Millis = 15 * second

/**
 * Since when devices can be heard without a break, by any server process: each round says that it is there. While the
 * database or all servers were away, no round could. @param now of the round that asks
 */
export async function hearingSince(pool: Pool, now: Millis): Promise<Millis> {
  return inTransaction(pool, async (tx) => {
    // Twice in two seconds, and nobody waits for a disk: what a power cut takes of it is a second of being there.
    await tx.query('set local synchronous_commit = off')
    const row = await firstRow<{ since: Millis }>(
      tx,
      `
      insert into hearing (since, last) values ($1, $1)
      on conflict (id) do update
      set since = case when hearing.last < $1::timestamptz - make_interval(secs => $2) then $1
      else hearing.since end, last = greatest(hearing.last, $1)
      returning since`,
      [time(now), deafAfter / second],
    )
    return row!.since
  })
}

/** Says within a long round, too, that somebody is here: it is no time in which nobody could be heard. */
async function stillHere(pool: Pool): Promise<void> {
  await pool.query('update hearing set last = greatest(last, now())')
}

interface QuietDevice {
  id: DeviceId
  version: number
  heardAt: Millis
}
/** A quiet device for as long as it stays as it was: what silence needs of it, and when it is to be looked at again. */
interface Known extends QuietDevice {
  context: DeviceContext
  since: Millis
  next: Millis
}

/** Read together, and looked at before others get their turn. */
const atOnce = 100

/** Of a context, what silence is judged by: thousands are kept. */
function kept(context: DeviceContext): DeviceContext {
  const roster = context.roster.filter((watch) => watch.kind === 'silence')
  return { ...context, facts: {}, traits: { ...context.traits, facts: {} }, roster, windows: [] }
}

/**
 * Makes the round that notices silence, for one process. It remembers each quiet device until that changes, and looks
 * without reading anything: workstations at night, which may be silent, cost nothing but to be found. Only what has to
 * be raised is read anew, locked, and judged by how it is then.
 */
export function silenceRound(pool: Pool): (now: Millis) => Promise<number> {
  let known = new Map<DeviceId, Known>()
  const isSame = (device: QuietDevice) => {
    const found = known.get(device.id)
    return found?.version === device.version && found.heardAt === device.heardAt ? found : null
  }
  async function read(devices: readonly QuietDevice[], since: Millis): Promise<Known[]> {
    const fresh = devices.filter((device) => !isSame(device)).map(({ id }) => id)
    // One that cannot be read fails alone, when it is looked at by itself.
    const contexts = fresh.length
      ? await loadContexts(pool, fresh).catch(() => new Map<DeviceId, DeviceContext>())
      : null
    return devices.flatMap((device): Known[] => {
      const context = isSame(device)?.context ?? contexts?.get(device.id)
      return context ? [{ ...device, context: kept(context), since, next: 0 }] : []
    })
  }
  return async (now) => {
    const since = await hearingSince(pool, now)
    let said = Date.now()
    let raised = 0
    const still: typeof known = new Map()
    for (let after = 0; ;) {
      const quiet = await quietDevices(pool, now, after)
      const due = quiet.filter((device) => {
        const found = isSame(device)
        if (found?.since !== since || found.next <= now) return true
        still.set(device.id, found)
        return false
      })
      for (let from = 0; from < due.length; from += atOnce) {
        if (Date.now() - said > second) {
          await stillHere(pool)
          said = Date.now()
        }
        const group = due.slice(from, from + atOnce)
        const found = new Map((await read(group, since)).map((device) => [device.id, device]))
        await eachAlone(group, async ({ id }) => {
          const device = found.get(id)
          const will = device ? outlook(device.context, since, now) : null
          if (device && will && !will.result) still.set(id, { ...device, next: will.next ?? Infinity })
          // One that is raised has another version then, and is read once more in the next round.
          else if (await inTransaction(pool, (tx) => raiseSilence(tx, id, since, now))) raised++
        })
      }
      if (quiet.length < quietAtOnce) break
      after = quiet.at(-1)!.id
    }
    known = still
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
