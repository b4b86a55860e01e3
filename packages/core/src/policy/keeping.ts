import type { LogKeeping } from '../eventlog'
import { floorOf, watchKinds } from '../watch'
import type { Roster } from './roster'

/** Which log entries the watches of a roster have an agent send; null: all of them. */
export function keepingOf(roster: Roster): LogKeeping | null {
  const active = roster.filter((watch) => watch.standing === 'active')
  const floors = active.filter(({ kind }) => watchKinds.get(kind)?.isSetting).map(({ values }) => floorOf(values))
  if (!floors.length) return null
  return { floors, watched: active.flatMap(({ kind, values }) => watchKinds.get(kind)?.entries?.(values) ?? []) }
}
