import { minute, second, type DeviceId, type Millis } from '#core'
import { inTransaction, rows, time, type Pool } from '../db'
import { reevaluateGroup } from './reevaluate'

/** Looked at in one transaction, and so many of those side by side: people and reports need connections, too. */
const atOnce = 50
const sideBySide = 2

/** @returns at how many: another process may have just done some */
async function settleGroup(pool: Pool, deviceIds: readonly DeviceId[]): Promise<number> {
  return inTransaction(pool, async (tx) => {
    // The devices first, as everything that changes what is open on them.
    await tx.query('select from device where id = any($1) order by id for update', [deviceIds])
    const due = await rows<{ id: DeviceId; at: Millis }>(
      tx,
      'delete from settle_due where device_id = any($1) returning device_id as id, at',
      [deviceIds],
    )
    if (due.length) await reevaluateGroup(tx, new Map(due.map(({ id, at }) => [id, at])))
    return due.length
  })
}

/**
 * Looks at the devices that wait, for some seconds at most. Where a group fails each of it is looked at alone; one that
 * fails then waits its turn again, behind all others.
 * @returns at how many
 * @throws AggregateError with what failed, once all others are done
 */
export async function settleDue(pool: Pool, now: Millis): Promise<number> {
  const until = Date.now() + 5 * second
  const failures: unknown[] = []
  let settled = 0
  async function settleAlone(deviceId: DeviceId): Promise<void> {
    try {
      settled += await settleGroup(pool, [deviceId])
    } catch (error) {
      failures.push(error)
      await pool.query('update settle_due set since = $2 where device_id = $1', [deviceId, time(now + minute)])
    }
  }
  while (Date.now() < until) {
    const due = await rows<{ id: DeviceId }>(
      pool,
      'select device_id as id from settle_due where since <= now() order by since, device_id limit $1',
      [sideBySide * atOnce],
    )
    if (!due.length) break
    const ids = due.map(({ id }) => id)
    const groups = Array.from({ length: sideBySide }, (_, i) => ids.slice(i * atOnce, (i + 1) * atOnce))
    await Promise.all(
      groups.map(async (group) => {
        try {
          if (group.length) settled += await settleGroup(pool, group)
        } catch {
          for (const id of group) await settleAlone(id)
        }
      }),
    )
  }
  if (failures.length)
    throw new AggregateError(failures, `${failures.length} devices failed: ${(failures[0] as Error).message}`)
  return settled
}
