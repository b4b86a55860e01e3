import { day, type Millis } from '#core'
import { inTransaction, type Pool } from './pool'

const partitioned = ['report', 'log_event', 'post_change'] as const
const week = 7 * day

/**
 * What was written longer ago than this is not kept any more, and not taken: there is always a partition for what is.
 */
export const oldestKept: Millis = 30 * day

/**
 * Weekly partitions from five weeks back (agents may catch up, and a demo brings history) to two weeks ahead. Called at
 * start and every few hours, so that no reading ever finds its partition missing.
 */
export async function ensurePartitions(pool: Pool, now: Millis): Promise<void> {
  await inTransaction(pool, async (tx) => {
    await tx.query(`select pg_advisory_xact_lock(hashtext('custode partitions'))`)
    for (const table of partitioned) {
      for (let start = Math.floor((now - 5 * week) / week) * week; start < now + 2 * week; start += week) {
        const from = new Date(start).toISOString()
        const until = new Date(start + week).toISOString()
        // Built from constants and a number only; identifiers cannot be parameters.
        await tx.query(
          `create table if not exists ${table}_${from.slice(0, 10).replaceAll('-', '')} partition of ${table} for values from ('${from}') to ('${until}')`,
        )
      }
    }
  })
}
