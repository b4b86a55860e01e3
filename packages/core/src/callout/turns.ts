import { recurrenceFault, startsBetween, type LocalTime, type RecurrenceFault } from '../maintenance/schedule'

export { RecurrenceError } from '../maintenance/schedule'
import type { Millis } from '../units'

/** Who is on call: people one after the other, each from one time of the rule to the next. */
export interface Rotation {
  /** When the first one's turn begins, on the clocks of the zone. */
  starts: LocalTime
  zone: string
  /** When turns change: RFC 5545, section 3.3.10. @example 'FREQ=WEEKLY' */
  rule: string
  /** People in their order; one may come more than once. */
  turns: number[]
}

/** Somebody else for a time. Of two that overlap the later one counts. */
export interface Swap {
  person: number
  from: Millis
  until: Millis
}

export interface Turn {
  person: number
  from: Millis
  until: Millis
  /** In place of whose turn it would be. */
  insteadOf: number | null
}

const recurrenceOf = ({ starts, zone, rule }: Rotation) => ({ starts, zone, rule, more: [], except: [] })

/** What is wrong with when turns change; null: nothing. */
export function rotationFault(rotation: Rotation): RecurrenceFault | null {
  return recurrenceFault(recurrenceOf(rotation))
}

/** So many turns are counted: fourteen years of days. */
const mostTurns = 5000

/** When turns begin, from the first one to those of a time to come; sorted. */
export function turnStarts(rotation: Rotation, until: Millis): Millis[] {
  return startsBetween(recurrenceOf(rotation), -Infinity, until, mostTurns)
}

/**
 * Turns in a span, in order, swaps in their place; parts of the span before the first turn have none.
 * @param starts as `turnStarts` has them
 * @example
 * turnsBetween([9, 7], turnStarts(weekly, end), [], monday, monday + 14 * day)
 * // [{ person: 9, from: monday, until: monday + 7 * day, … }, { person: 7, … }]
 */
export function turnsBetween(
  people: readonly number[],
  starts: readonly Millis[],
  swaps: readonly Swap[],
  from: Millis,
  until: Millis,
): Turn[] {
  const plain = starts.flatMap((start, i): Turn[] => {
    const turn = { from: Math.max(start, from), until: Math.min(starts[i + 1] ?? until, until) }
    return turn.until > turn.from ? [{ ...turn, person: people[i % people.length]!, insteadOf: null }] : []
  })
  return swaps.reduce((turns, swap) => turns.flatMap((turn) => swapped(turn, swap)), plain)
}

function swapped(turn: Turn, swap: Swap): Turn[] {
  const from = Math.max(turn.from, swap.from)
  const until = Math.min(turn.until, swap.until)
  if (until <= from) return [turn]
  const whose = turn.insteadOf ?? turn.person
  const parts: Turn[] = [
    { ...turn, until: from },
    { person: swap.person, from, until, insteadOf: swap.person === whose ? null : whose },
    { ...turn, from: until },
  ]
  return parts.filter((part) => part.until > part.from)
}

/** Whose turn it is; null: nobody’s yet. */
export function onCallAt(
  people: readonly number[],
  starts: readonly Millis[],
  swaps: readonly Swap[],
  at: Millis,
): number | null {
  return turnsBetween(people, starts, swaps, at, at + 1)[0]?.person ?? null
}
