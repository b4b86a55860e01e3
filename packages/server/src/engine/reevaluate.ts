import { splitPostKey, stateFor, type DeviceId, type Millis } from '#core'
import type { Db } from '../db'
import { announce } from '../live'
import { loadContexts } from './context'
import { readAlertings } from './alerting'
import { settlePosts } from './settleDevice'
import { settleLater } from './settleLater'
import { writeState } from './writeState'

/**
 * Looks at devices again because something other than a report changed: their policy, their roles, a window. Alerts and
 * held records follow at once; state of watches that left the roster is forgotten. The versions rise, so that no server
 * process goes on with an old copy.
 * @param due each with the moment as of which it is looked at
 */
export async function reevaluateGroup(tx: Db, due: ReadonlyMap<DeviceId, Millis>): Promise<void> {
  const deviceIds = [...due.keys()]
  await lock(tx, deviceIds)
  await raiseVersions(tx, deviceIds)
  const contexts = await loadContexts(tx, deviceIds)
  const alertings = await readAlertings(tx, deviceIds)
  const now = Date.now()
  for (const [deviceId, context] of contexts) {
    const active = new Map(
      context.roster.filter((watch) => watch.standing === 'active').map((watch) => [watch.key, watch]),
    )
    const state = new Map(
      [...context.state].filter(([key, post]) => {
        const watch = active.get(splitPostKey(key).watch)
        return watch !== undefined && stateFor(watch, post) !== null
      }),
    )
    await writeState(tx, deviceId, context.state, state)
    // What is made up for later finds the state of the newest report, and what was in force then, not before it.
    const at = Math.max(due.get(deviceId)!, Math.min(now, context.lastAt ?? 0))
    const changed = await settlePosts(tx, context, alertings.get(deviceId)!, state, at, now)
    if (changed) announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  }
}

export const reevaluate = (tx: Db, deviceId: DeviceId, at: Millis): Promise<void> =>
  reevaluateGroup(tx, new Map([[deviceId, at]]))

/**
 * Always in order of id, and before any of them is changed, so that two changes that reach the same devices wait for
 * each other.
 */
async function lock(tx: Db, deviceIds: readonly DeviceId[]): Promise<void> {
  await tx.query('select from device where id = any($1) order by id for update', [deviceIds])
}

/** Marks devices as changed without looking at their alerts: enough where nothing of theirs is failing or open. */
export async function bumpVersions(tx: Db, deviceIds: readonly DeviceId[]): Promise<void> {
  await lock(tx, deviceIds)
  await raiseVersions(tx, deviceIds)
}

async function raiseVersions(tx: Db, deviceIds: readonly DeviceId[]): Promise<void> {
  await tx.query('update device set version = version + 1 where id = any($1)', [deviceIds])
}

/** Watches of a device that a change touches; null: it may touch any. */
export type Touched = ReadonlyMap<DeviceId, readonly string[] | null>

/** Those that have something failing, open or held of what is touched: for them a new version is not enough. */
async function unsettled(tx: Db, touched: Touched): Promise<DeviceId[]> {
  // A large change touches the same few watches of very many devices: a set of them is told once.
  const sets = new Map<string, { of: number; watches: readonly string[] }>()
  const ids: DeviceId[] = []
  const setOf: (number | null)[] = []
  for (const [id, watches] of touched) {
    ids.push(id)
    if (watches === null) {
      setOf.push(null)
      continue
    }
    const key = JSON.stringify(watches)
    const set = sets.get(key) ?? { of: sets.size, watches }
    sets.set(key, set)
    setOf.push(set.of)
  }
  const members = [...sets.values()].flatMap(({ of, watches }) => watches.map((watch) => ({ of, watch })))
  // Three looks by keys that begin with the device, some 90 ms for 10,000; its watches are compared where it has any.
  const isOfSet = (watch: string) =>
    `(t.of is null or exists (select from unnest($3::int[], $4::text[]) m (of, watch)
        where m.of = t.of and m.watch = ${watch}))`
  const found = await tx.query<{ id: number }>(
    `
    select t.id from unnest($1::int[], $2::int[]) t (id, of) where
      exists (select from post_state p where p.device_id = t.id and ${isOfSet('p.watch')})
      or exists (select from alert a where a.device_id = t.id and a.status <> 'closed' and ${isOfSet('a.watch')})
      or exists (select from held h where h.device_id = t.id and h.ended_at is null and ${isOfSet('h.watch')})
    order by t.id`,
    [ids, setOf, members.map(({ of }) => of), members.map(({ watch }) => watch)],
  )
  return found.rows.map((row) => row.id)
}

/** More are not looked at within the change itself: who made it, and whose reports wait for it, would wait long. */
const settledAtOnce = 50

/**
 * Outdates the devices, and looks again at those that have something failing, open or held of what is touched: a few of
 * them within the transaction, many in batches after it.
 */
export async function reevaluateAll(tx: Db, touched: Touched, at: Millis): Promise<void> {
  const deviceIds = [...touched.keys()]
  await lock(tx, deviceIds)
  const some = await unsettled(tx, touched)
  if (some.length > settledAtOnce) await settleLater(tx, some, at)
  else await reevaluateGroup(tx, new Map(some.map((id) => [id, at])))
  const seen = new Set(some.length > settledAtOnce ? [] : some)
  await raiseVersions(
    tx,
    deviceIds.filter((id) => !seen.has(id)),
  )
}
