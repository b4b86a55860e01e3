import { daysUntil } from '../series'
import { day, type Millis } from '../units'
import type { WatchInForce } from './inForce'
import type { Observed } from './kind'
import { watchKind } from './kinds'

const asking = new WeakMap<readonly WatchInForce[], boolean>()

/** Whether one of these watches asks how fast disks fill. */
export function asksDays(roster: readonly WatchInForce[]): boolean {
  let known = asking.get(roster)
  if (known === undefined)
    asking.set(
      roster,
      (known = roster.some(
        ({ standing, kind, values }) => standing === 'active' && (watchKind(kind).asksDays?.(values) ?? false),
      )),
    )
  return known
}

/** The days before a time, of those that were read at another: to a report that comes late the others are to come. */
export function daysBefore(
  days: NonNullable<Observed['days']>,
  at: Millis,
  readAt: Millis,
): NonNullable<Observed['days']> {
  if (Math.floor(at / day) >= Math.floor(readAt / day)) return days
  return new Map([...days].map(([mount, each]) => [mount, daysUntil(each, at)]))
}
