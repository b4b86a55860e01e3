import type { WatchInForce } from './inForce'
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
