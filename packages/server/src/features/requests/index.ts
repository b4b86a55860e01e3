import { second, type Millis } from '#core'
import { inTransaction, rows, time, type Pool } from '../../db'
import { addRequestEntry, announceRequest, type Job } from '../../engine'

export { requestRoutes } from './routes'

/** Shows again what was put off until now; two processes do it once. */
async function showHidden(pool: Pool, now: Millis): Promise<void> {
  await inTransaction(pool, async (tx) => {
    const shown = await rows<{ id: number; client_id: number | null; status: string }>(
      tx,
      `update request set hidden_until = null where hidden_until <= $1 returning id, client_id, status`,
      [time(now)],
    )
    for (const { id, client_id, status } of shown) {
      if (status !== 'closed') await addRequestEntry(tx, id, { at: now, event: 'shown' })
      announceRequest(tx, client_id)
    }
  })
}

/** What becomes of requests with time. */
export function requestJobs(pool: Pool): Job[] {
  return [{ name: 'hidden requests', every: 5 * second, work: (now) => showHidden(pool, now) }]
}
