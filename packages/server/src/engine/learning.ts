import { day, usualMetrics, watchKinds, type DeviceId, type Millis } from '#core'
import { inTransaction, rows, time, type Db, type Pool } from '../db'
import { policyInForce, type PolicyInForce } from '../store/policy'
import { learnSeries, writeUsual } from '../store/series'
import { allTraits } from '../store/traits'
import { bumpVersions } from './reevaluate'

/** Devices that are looked into in one round, and how old what was learned may become. */
const atOnce = 40
const learnedFor: Millis = day

const judgesAnywhere = ({ templates }: PolicyInForce): boolean =>
  templates.some(({ watches }) => watches.some(({ kind }) => watchKinds.get(kind)?.usual !== undefined))

interface Due {
  id: DeviceId
  zone: string
}

/** One device. @returns whether there is something else to judge by than before */
async function learn(tx: Db, { id, zone }: Due, metrics: ReturnType<typeof usualMetrics>, now: Millis) {
  const before = await rows<{ key: string }>(
    tx,
    `select metric || '|' || instance as key from usual where device_id = $1`,
    [id],
  )
  if (!metrics.length && !before.length) return false
  const usual = await learnSeries(tx, id, metrics, zone, now)
  await writeUsual(tx, id, usual)
  const known = new Set(before.map(({ key }) => key))
  return known.size !== usual.size || [...usual.keys()].some((key) => !known.has(key))
}

/**
 * Learns what is usual for the series that watches judge by it: of devices that changed since that was done, and once a
 * day. One server process does it at a time.
 * @returns how many devices were looked into
 */
export async function learnUsualOfDevices(pool: Pool, now: Millis): Promise<number> {
  return inTransaction(pool, async (tx) => {
    const policy = await policyInForce(tx)
    if (!judgesAnywhere(policy)) return 0
    const [lock] = await rows<{ is: boolean }>(tx, `select pg_try_advisory_xact_lock(hashtext('custode usual')) as is`)
    if (!lock!.is) return 0
    const due = await rows<Due>(
      tx,
      // Scans all devices, some 3 ms at 10,000.
      `select d.id, s.zone from device d join site s on s.id = d.site_id
       left join usual_follow f on f.device_id = d.id
       where d.retired_at is null and d.last_seq > 0
         and (f.device_id is null or f.version <> d.version or f.learned_at < $1)
       order by f.learned_at nulls first, d.id limit $2`,
      [time(now - learnedFor), atOnce],
    )
    if (!due.length) return 0
    const ids = due.map(({ id }) => id)
    const targets = [...policy.assignments, ...policy.exceptions].map(({ target }) => target)
    const asked = new Map(
      (await allTraits(tx, targets, ids)).map((traits) => [traits.id, usualMetrics(policy.compiled.roster(traits))]),
    )
    const changed: DeviceId[] = []
    for (const one of due) if (await learn(tx, one, asked.get(one.id) ?? [], now)) changed.push(one.id)
    // Whoever judges reads it with the device; what is learned anew each day it reads within the hour.
    if (changed.length) await bumpVersions(tx, changed)
    await tx.query(
      `insert into usual_follow (device_id, version, learned_at)
       select id, version, $2 from device where id = any($1) order by id
       on conflict (device_id) do update set version = excluded.version, learned_at = excluded.learned_at`,
      [ids, time(now)],
    )
    return due.length
  })
}
