import type { ClientId, DeviceId, RoleId } from '../../units'
import { roleNeed, type CoverageGap } from './coverage'

export const gapGroupings = ['need', 'client', 'device'] as const
export type GapGrouping = (typeof gapGroupings)[number]

/** What is missing on one device. */
export interface DeviceGaps {
  id: DeviceId
  clientId: ClientId
  gaps: readonly CoverageGap[]
}

/** The same thing missing for the same reason, and on which devices. */
export interface SharedGap {
  gap: CoverageGap
  deviceIds: DeviceId[]
}

/** Gaps of one role, client or device. */
export interface GapGroup {
  of: RoleId | ClientId | DeviceId
  gaps: SharedGap[]
  /** Gaps of all its devices together. */
  missing: number
}

const keys = new WeakMap<CoverageGap, string>()
/** Alike for gaps that are the same thing missing for the same reason; worked out once for each that is kept. */
export function gapKey(gap: CoverageGap): string {
  const known = keys.get(gap)
  if (known !== undefined) return known
  const key = JSON.stringify([gap.need, gap.instance, gap.uncollected, gap.unwatched, gap.trouble])
  keys.set(gap, key)
  return key
}

const byText = (a: string, b: string) => (a < b ? -1 : Number(a > b))

/** By role, by client or by device, each with only its own part of a gap; the worst off first, equal ones by `of`. */
export function gapGroups(devices: Iterable<DeviceGaps>, by: GapGrouping): GapGroup[] {
  const groups = new Map<RoleId | number, Map<string, SharedGap>>()
  for (const { id, clientId, gaps } of devices)
    for (const gap of gaps) {
      const of = { need: roleNeed(gap.need).role, client: clientId, device: id }[by]
      let group = groups.get(of)
      if (!group) groups.set(of, (group = new Map()))
      const key = gapKey(gap)
      const shared = group.get(key)
      if (shared) shared.deviceIds.push(id)
      else group.set(key, { gap, deviceIds: [id] })
    }
  return [...groups]
    .map(([of, group]) => {
      const gaps = [...group.values()].sort(
        (a, b) => b.deviceIds.length - a.deviceIds.length || byText(gapKey(a.gap), gapKey(b.gap)),
      )
      return { of, gaps, missing: gaps.reduce((sum, { deviceIds }) => sum + deviceIds.length, 0) }
    })
    .sort((a, b) => b.missing - a.missing || byText(String(a.of).padStart(12), String(b.of).padStart(12)))
}
