import type { LiveEvent } from '#contract'
import { whenCommitted, type Db, type Pool } from '../db'

export const channel = 'custode_live'

/** Both in one, as far as that can be said: null is every client, no device is any device. */
export function merged(a: LiveEvent, b: LiveEvent): LiveEvent {
  const clientIds = a.clientIds === null || b.clientIds === null ? null : [...new Set([...a.clientIds, ...b.clientIds])]
  const deviceIds = a.deviceIds.length && b.deviceIds.length ? [...new Set([...a.deviceIds, ...b.deviceIds])] : []
  return { topic: a.topic, clientIds, deviceIds }
}

/** A notification holds 8000 bytes; with very many it is enough to say that some of them changed. */
function short(event: LiveEvent): LiveEvent {
  return {
    ...event,
    clientIds: (event.clientIds?.length ?? 0) > 300 ? null : event.clientIds,
    deviceIds: event.deviceIds.length > 500 ? [] : event.deviceIds,
  }
}

const gathered = new WeakMap<Pool, Map<LiveEvent['topic'], LiveEvent>>()
const gatherFor = 40

/**
 * Tells every server process, once it is committed, that something changed. Gathered for a moment and sent beside the
 * transactions: PostgreSQL lets only one transaction at a time commit with a notification, and a thousand machines
 * that enrol at once would wait for each other. A browser that misses one, because the server was killed just then,
 * looks again anyway when it comes back.
 */
export function announce(db: Db, event: LiveEvent): void {
  whenCommitted(db, (pool) => {
    const waiting = gathered.get(pool)
    if (waiting) {
      const before = waiting.get(event.topic)
      waiting.set(event.topic, before ? merged(before, event) : event)
      return
    }
    const events = new Map([[event.topic, event]])
    gathered.set(pool, events)
    setTimeout(() => {
      gathered.delete(pool)
      pool
        .query('select pg_notify($1, e) from unnest($2::text[]) e', [
          channel,
          [...events.values()].map((announced) => JSON.stringify(short(announced))),
        ])
        .catch(() => undefined)
    }, gatherFor)
  })
}
