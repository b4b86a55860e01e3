import { minute, second, type DeviceId, type Millis } from '#core'
import { firstRow, inTransaction, rows, time, type Pool } from '../db'
import { reevaluate } from './reevaluate'

/** Taken from the database at a time, and looked at side by side: people and reports need connections, too. */
const batch = 200
const sideBySide = 3

async function settleOne(pool: Pool, deviceId: DeviceId): Promise<void> {
  await inTransaction(pool, async (tx) => {
    // The device first, as everything that changes what is open on it.
    await tx.query('select from device where id = $1 for update', [deviceId])
    const due = await firstRow<{ at: Millis }>(tx, 'delete from settle_due where device_id = $1 returning at', [
      deviceId,
    ])
    // Gone: another process has just done it.
    if (due) await reevaluate(tx, deviceId, due.at)
  })
}

/**
 * Looks at the devices that wait, for some seconds at most. One that fails waits its turn again, behind all others.
 * @returns at how many
 * @throws AggregateError with what failed, once all others are done
 */
export async function settleDue(pool: Pool, now: Millis): Promise<number> {
  const until = Date.now() + 5 * second
  const failures: unknown[] = []
  let settled = 0
  while (Date.now() < until) {
    const due = await rows<{ id: DeviceId }>(
      pool,
      'select device_id as id from settle_due where since <= now() order by since, device_id limit $1',
      [batch],
    )
    if (!due.length) break
    const work = async () => {
      for (let next = due.shift(); next; next = due.shift()) {
        try {
          await settleOne(pool, next.id)
          settled++
        } catch (error) {
          failures.push(error)
          await pool.query('update settle_due set since = $2 where device_id = $1', [next.id, time(now + minute)])
        }
      }
    }
    await Promise.all(Array.from({ length: sideBySide }, work))
  }
  if (failures.length)
    throw new AggregateError(failures, `${failures.length} devices failed: ${(failures[0] as Error).message}`)
  return settled
}
