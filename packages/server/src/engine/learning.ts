import { day, hour, usualMetrics, watchKinds, type DeviceId, type Millis } from '#core'
import { inTransaction, rows, time, type Db, type Pool } from '../db'
import { policyInForce, type PolicyInForce } from '../store/policy'
import { learnSeries, writeUsual } from '../store/series'
import { allTraits } from '../store/traits'
import { eachAlone } from './alone'
import { bumpVersions } from './reevaluate'

/** Devices that are looked into in one round, and how old what was learned may become. */
const atOnce = 40
const learnedFor: Millis = day
/** What failed is tried again after so long, so that it does not stand in the way of all others. */
const againAfter: Millis = hour

const judgesAnywhere = ({ templates }: PolicyInForce): boolean =>
  templates.some(({ watches }) => watches.some(({ kind }) => watchKinds.get(kind)?.usual !== undefined))

interface Due {
  id: DeviceId
  zone: string
  version: number
}

const keysOf = async (tx: Db, id: DeviceId): Promise<Set<string>> => {
  const found = await rows<{ key: string }>(
    tx,
    `select metric || '|' || instance as key from usual where device_id = $1`,
    [id],
  )
  return new Set(found.map(({ key }) => key))
}

/** As of the version that the device has now. */
const follow = (db: Db, id: DeviceId, learnedAt: Millis) =>
  db.query(
    `insert into usual_follow (device_id, version, learned_at) select id, version, $2 from device where id = $1
     on conflict (device_id) do update set version = excluded.version, learned_at = excluded.learned_at`,
    [id, time(learnedAt)],
  )

/** One that changed meanwhile is still due: nothing of it is written then. */
async function learn(tx: Db, { id, zone, version }: Due, now: Millis): Promise<void> {
  // Another server process may be at it.
  const [lock] = await rows<{ is: boolean }>(
    tx,
    `select pg_try_advisory_xact_lock(hashtext('custode usual'), $1) as is`,
    [id],
  )
  if (!lock!.is) return
  const policy = await policyInForce(tx)
  const targets = [...policy.assignments, ...policy.exceptions].map(({ target }) => target)
  const [traits] = await allTraits(tx, targets, [id])
  const metrics = traits ? usualMetrics(policy.compiled.roster(traits)) : []
  const usual = await learnSeries(tx, id, metrics, zone, now)
  // Devices first, as everybody does who writes of them.
  const [found] = await rows<{ version: number }>(tx, 'select version from device where id = $1 for update', [id])
  if (found?.version !== version) return
  const before = await keysOf(tx, id)
  if (metrics.length || before.size) {
    await writeUsual(tx, id, usual)
    // Whoever judges reads it with the device; what is learned anew each day it reads within the hour.
    const isOther = before.size !== usual.size || [...usual.keys()].some((key) => !before.has(key))
    if (isOther) await bumpVersions(tx, [id])
  }
  await follow(tx, id, now)
}

/**
 * Learns what is usual for the series that watches judge by it: of devices that changed since that was done, and once a
 * day. Each device stands alone.
 * @returns how many devices were looked into
 * @throws AggregateError with what failed, once all others are done
 */
export async function learnUsualOfDevices(pool: Pool, now: Millis): Promise<number> {
  if (!judgesAnywhere(await policyInForce(pool))) return 0
  const due = await rows<Due>(
    pool,
    // Scans all devices, some 3 ms at 10,000.
    `select d.id, s.zone, d.version from device d join site s on s.id = d.site_id
     left join usual_follow f on f.device_id = d.id
     where d.retired_at is null and d.last_seq > 0
       and (f.device_id is null or f.version <> d.version or f.learned_at < $1)
     order by f.learned_at nulls first, d.id limit $2`,
    [time(now - learnedFor), atOnce],
  )
  await eachAlone(due, async (one) => {
    try {
      await inTransaction(pool, (tx) => learn(tx, one, now))
    } catch (error) {
      await follow(pool, one.id, now - learnedFor + againAfter)
      throw error
    }
  })
  return due.length
}
