import { second, type Millis } from '../units'

/** What of a counter that only rises is remembered from look to look. */
export interface Risen {
  /** When it was what it is. */
  at: Millis
  value: number
  /** By how much it rose in a second then; null: nothing is known yet. */
  rate: number | null
}

/**
 * A counter after one more look. One that was read at the same moment as before, of a file that was not written anew,
 * goes on as it was; one that is lower began anew at nothing, and says nothing of the time since.
 * @param at in milliseconds; by a clock that nobody sets, or by the time of the file
 * @example nextRise({ at: 0, value: 100, rate: null }, 60_000, 400).rate // 5
 */
export function nextRise(before: Risen | undefined, at: Millis, value: number): Risen {
  if (before === undefined || at < before.at) return { at, value, rate: null }
  if (at === before.at) return before
  return { at, value, rate: value < before.value ? null : (value - before.value) / ((at - before.at) / second) }
}
