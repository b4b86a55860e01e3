import { isAtRest, splitPostKey, type DeviceState, type PostState, type PostTransition } from '#core'
import { time, type Db } from '../db'
import type { DeviceContext } from './types'

/** Changed in a way that must outlive the process: for a post without level and runs its last time is no such thing. */
function mustWrite(before: PostState | undefined, after: PostState): boolean {
  if (before === after) return false
  if (!before || after.level !== null || Object.keys(after.runs).length > 0) return true
  return JSON.stringify({ ...before, lastAt: 0 }) !== JSON.stringify({ ...after, lastAt: 0 })
}

/** Whether anything of it has to be written. */
export function stateMoved(before: DeviceState, after: DeviceState): boolean {
  return before.size !== after.size || [...after].some(([key, state]) => mustWrite(before.get(key), state))
}

/** Writes what the posts of a device remember from now on; what is at rest is not kept. */
export async function writeState(tx: Db, deviceId: number, before: DeviceState, after: DeviceState): Promise<void> {
  const written = [...after].filter(([key, state]) => !isAtRest(state) && mustWrite(before.get(key), state))
  const removed = [...before.keys()].filter((key) => !after.has(key))
  if (written.length) {
    const keys = written.map(([key]) => splitPostKey(key))
    await tx.query(
      `
      insert into post_state (device_id, watch, instance, state)
      select $1, p.watch, p.instance, p.state
      from unnest($2::text[], $3::text[], $4::jsonb[]) p (watch, instance, state)
      on conflict (device_id, watch, instance) do update set state = excluded.state`,
      [
        deviceId,
        keys.map((key) => key.watch),
        keys.map((key) => key.instance),
        written.map(([, state]) => JSON.stringify(state)),
      ],
    )
  }
  if (removed.length) {
    const keys = removed.map(splitPostKey)
    await tx.query(
      `delete from post_state p using unnest($2::text[], $3::text[]) r (watch, instance)
       where p.device_id = $1 and p.watch = r.watch and p.instance = r.instance`,
      [deviceId, keys.map((key) => key.watch), keys.map((key) => key.instance)],
    )
  }
}

/** Every change of a post's state is kept, so that why there was or was no alert can be said later. */
export async function writeChanges(
  tx: Db,
  context: DeviceContext,
  transitions: readonly PostTransition[],
): Promise<void> {
  if (!transitions.length) return
  await tx.query(
    `
    insert into post_change (device_id, at, watch, instance, kind, from_level, to_level, began, evidence,
    policy_version)
    select $1, c.at, c.watch, c.instance, c.kind, c.from_level, c.to_level, c.began, c.evidence, $10
    from unnest($2::timestamptz[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::timestamptz[],
    $9::jsonb[])
      c (at, watch, instance, kind, from_level, to_level, began, evidence)`,
    [
      context.traits.id,
      transitions.map((transition) => time(transition.at)),
      transitions.map((transition) => transition.watch),
      transitions.map((transition) => transition.instance),
      transitions.map((transition) => transition.kind),
      transitions.map((transition) => transition.from),
      transitions.map((transition) => transition.to),
      transitions.map((transition) => time(transition.began)),
      transitions.map((transition) => JSON.stringify(transition.evidence)),
      context.policyVersion,
    ],
  )
}
