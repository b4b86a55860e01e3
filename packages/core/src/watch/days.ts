import type { MetricName } from '../series'
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

const judging = new WeakMap<readonly WatchInForce[], readonly MetricName[]>()

/** The metrics of the series that some of these watches judge by what is usual for them. */
export function usualMetrics(roster: readonly WatchInForce[]): readonly MetricName[] {
  let known = judging.get(roster)
  if (!known) {
    const found = roster.flatMap(({ standing, kind }) => (standing === 'active' ? (watchKind(kind).usual ?? []) : []))
    judging.set(roster, (known = [...new Set(found)]))
  }
  return known
}
