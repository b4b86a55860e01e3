import { targets, type DeviceTraits, type Target } from '../../estate'
import { logsWatched, type Roster } from '../../policy'
import type { OptionalCollector } from '../../watch'

/** Wants something collected on a target that agents do not collect by themselves. */
export interface CollectRule {
  id: number
  target: Target
  logs: readonly string[]
  collectors: readonly OptionalCollector[]
}

/** What an agent collects beyond the ordinary. Names of logs are patterns. */
export interface Collecting {
  logs: string[]
  collectors: OptionalCollector[]
}

/**
 * All rules that reach the device, and what the watches of its roster name, add up, so that their order does not
 * matter.
 */
export function collectingFor(device: DeviceTraits, rules: readonly CollectRule[], roster: Roster): Collecting {
  const reaching = rules.filter((rule) => targets(rule.target, device))
  const all = <T extends string>(of: (rule: CollectRule) => readonly T[]): T[] =>
    [...new Set(reaching.flatMap(of))].sort()
  return {
    logs: [...new Set([...all((rule) => rule.logs), ...logsWatched(roster)])].sort(),
    collectors: all((rule) => rule.collectors),
  }
}
