import { ref } from 'vue'
import { hour, minute, type Millis } from '#core'

/**
 * The time as of which the page shows everything; null: as it is now. It stands in the address, and the router sets it
 * from there: what is asked of the server is asked as of then, and nothing can be changed.
 */
export const asOf = ref<Millis | null>(null)

/** In the address, to the second: 2026-11-28T10:00:00Z. */
export const asOfText = (at: Millis) => `${new Date(at).toISOString().slice(0, 19)}Z`

/** null: no time, or one to come. */
export function readAsOf(text: unknown, now: Millis): Millis | null {
  const at = typeof text === 'string' ? Date.parse(text) : NaN
  return Number.isNaN(at) || at < 0 || at > now ? null : at
}

/** Whole seconds of a time that is over. */
export const overBy = (at: Millis, now: Millis): Millis => Math.floor(Math.min(at, now - minute) / 1000) * 1000
/** Where somebody begins to look back. */
export const lookBackFrom = (now: Millis): Millis => overBy(now - hour, now)
