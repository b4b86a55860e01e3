import { matcher, type DeviceTraits, type Match } from '../estate'
import { sameData } from '../same'
import { compilePolicy, type CompiledPolicy } from './compile'
import type { EffectiveWatch, Policy, Roster } from './roster'
import { levelFaults, withIncluded } from './template'

/** What becomes of one watch on a device; `before` and `after` as far as it is evaluated. */
export interface WatchChange {
  key: string
  name: string
  change: 'added' | 'removed' | 'altered'
  parameters: string[]
  before: EffectiveWatch | null
  after: EffectiveWatch | null
}

function compareWatches(before: EffectiveWatch | null, after: EffectiveWatch | null): WatchChange | null {
  const [was, is] = [before, after].map((watch) => (watch?.standing === 'active' ? watch : null)) as [
    EffectiveWatch | null,
    EffectiveWatch | null,
  ]
  const seen = { before: was, after: is }
  if (!was) return is && { ...seen, key: is.key, name: is.name, change: 'added', parameters: [] }
  if (!is) return { ...seen, key: was.key, name: was.name, change: 'removed', parameters: [] }
  const parameters = Object.keys(is.values).filter((name) => !sameData(is.values[name], was.values[name]))
  return parameters.length || was.kind !== is.kind
    ? { ...seen, key: is.key, name: is.name, change: 'altered', parameters }
    : null
}

/** Remembers what it found: rosters share their watches, so that the same two meet again on thousands of devices. */
class Comparison {
  readonly #watches = new Map<EffectiveWatch | null, Map<EffectiveWatch | null, WatchChange | null>>()
  readonly #rosters = new Map<Roster, Map<Roster, readonly WatchChange[]>>()

  #watch(before: EffectiveWatch | null, after: EffectiveWatch | null): WatchChange | null {
    let known = this.#watches.get(before)
    if (!known) this.#watches.set(before, (known = new Map()))
    let change = known.get(after)
    if (change === undefined) known.set(after, (change = compareWatches(before, after)))
    return change
  }

  /** Both lists are sorted by key, and are walked side by side. */
  rosters(before: Roster, after: Roster): readonly WatchChange[] {
    let known = this.#rosters.get(before)
    if (!known) this.#rosters.set(before, (known = new Map()))
    let changes = known.get(after)
    if (changes) return changes
    const found: WatchChange[] = []
    for (let i = 0, j = 0; i < before.length || j < after.length;) {
      const [was, is] = [before[i], after[j]]
      const both = was && is && was.key === is.key
      const first = both || (was && (!is || was.key < is.key))
      const change = both ? this.#watch(was, is) : first ? this.#watch(was!, null) : this.#watch(null, is!)
      if (change) found.push(change)
      if (both || first) i++
      if (both || !first) j++
    }
    known.set(after, (changes = found))
    return changes
  }
}

/** What differs between two rosters of a device, as far as it is evaluated. */
export function compareRosters(before: Roster, after: Roster): readonly WatchChange[] {
  return new Comparison().rosters(before, after)
}

function changedIds<T extends { id: number }>(before: readonly T[], after: readonly T[]): Set<number> {
  const was = new Map(before.map((row) => [row.id, row]))
  const changed = new Set<number>()
  for (const row of after) {
    const old = was.get(row.id)
    was.delete(row.id)
    if (!old || !sameData(old, row)) changed.add(row.id)
  }
  for (const id of was.keys()) changed.add(id)
  return changed
}

/** Tells which devices a change can touch: those that something that differs reaches, or did. */
export function touchedBy(before: Policy, after: Policy): Match {
  const templates = changedIds(before.templates, after.templates)
  const assignments = changedIds(before.assignments, after.assignments)
  const exceptions = changedIds(before.exceptions, after.exceptions)
  const matches: Match[] = []
  const chosen = new Set<number>()
  for (const policy of [before, after]) {
    const byId = new Map(policy.templates.map((template) => [template.id, template]))
    for (const assignment of policy.assignments) {
      const template = byId.get(assignment.templateId)
      const brings = template ? withIncluded(template, byId).some((each) => templates.has(each.id)) : false
      if (brings || assignments.has(assignment.id)) matches.push(matcher(assignment.target))
    }
    for (const exception of policy.exceptions)
      if (exceptions.has(exception.id)) {
        if (exception.target.on === 'devices') for (const id of exception.target.deviceIds) chosen.add(id)
        else matches.push(matcher(exception.target))
      }
  }
  return (device) => chosen.has(device.id) || matches.some((match) => match(device))
}

/**
 * A device on which a change would put a more urgent level before a milder one; what was so before is not the change's
 * doing.
 */
export interface LevelConflict<Device> {
  device: Device
  watch: string
  name: string
  at: string
  message: string
}

/** Each such watch once, with a device that would have it. */
export function levelConflicts<Device extends DeviceTraits>(
  changed: readonly RosterChange<Device>[],
): LevelConflict<Device>[] {
  const looked = new Set<WatchChange>()
  return changed.flatMap(({ device, changes }) =>
    changes.flatMap((change) => {
      const { before, after, key, name } = change
      if (!after || looked.has(change)) return []
      looked.add(change)
      const old = new Set(
        before && before.kind === after.kind ? levelFaults(before.kind, before.values).map((fault) => fault.at) : [],
      )
      return levelFaults(after.kind, after.values)
        .filter((fault) => !old.has(fault.at))
        .map(({ at, message }) => ({ device, watch: key, name, at, message }))
    }),
  )
}

export interface RosterChange<Device extends DeviceTraits> {
  device: Device
  changes: readonly WatchChange[]
  before: Roster
  after: Roster
}

/**
 * The devices whose roster a change moves, with what becomes of their watches; rosters it cannot touch are not looked
 * at.
 */
export function rosterChanges<Device extends DeviceTraits>(
  devices: readonly Device[],
  before: CompiledPolicy,
  after: Policy | CompiledPolicy,
): RosterChange<Device>[] {
  const compiled = 'roster' in after ? after : compilePolicy(after)
  const touched = touchedBy(before.policy, compiled.policy)
  const comparison = new Comparison()
  const changed: RosterChange<Device>[] = []
  for (const device of devices) {
    if (!touched(device)) continue
    const [was, is] = [before.roster(device), compiled.roster(device)]
    const changes = comparison.rosters(was, is)
    if (changes.length) changed.push({ device, changes, before: was, after: is })
  }
  return changed
}
