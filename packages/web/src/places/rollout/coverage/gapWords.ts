import type { GapDevice, GapView } from '#contract'

/** What is missing, in words: the name of the thing, and what of it. */
export function gapWords({
  on,
  instance,
  uncollected,
  unwatched,
  trouble,
}: Pick<GapView, 'on' | 'instance' | 'uncollected' | 'unwatched' | 'trouble'>): { name: string; rest: string } {
  const lacks = () => {
    if (trouble) return `${trouble}${unwatched ? ', not watched' : ''}`
    if (uncollected && unwatched) return 'neither collected nor watched'
    return uncollected ? 'not collected' : 'not watched'
  }
  const missing = lacks()
  return {
    name: on === 'log' ? `the log ${instance}` : instance,
    rest: on === 'service' ? `runs, ${missing}` : missing,
  }
}

export type GroupedBy = 'need' | 'client' | 'device'
export interface GapGroup {
  title: string
  path: string | null
  gaps: GapView[]
}

/** The gaps as they are, or for each client or device only its own part of them; the worst off first. */
export function groupGaps(gaps: readonly GapView[], by: GroupedBy): GapGroup[] {
  if (by === 'need') {
    const roles = new Map<string, GapView[]>()
    for (const gap of gaps) roles.set(gap.roleName, [...(roles.get(gap.roleName) ?? []), gap])
    return [...roles].map(([title, list]) => ({ title, path: null, gaps: list }))
  }
  const groups = new Map<number, GapGroup>()
  const keyOf = (device: GapDevice) => (by === 'client' ? device.clientId : device.id)
  for (const gap of gaps)
    for (const key of new Set(gap.devices.map(keyOf))) {
      const devices = gap.devices.filter((device) => keyOf(device) === key)
      const first = devices[0]!
      const group = groups.get(key) ?? {
        title: by === 'client' ? first.clientName : first.name,
        path: by === 'client' ? null : `/estate/${first.id}`,
        gaps: [],
      }
      group.gaps.push({ ...gap, devices })
      groups.set(key, group)
    }
  const missing = (group: GapGroup) => group.gaps.reduce((sum, gap) => sum + gap.devices.length, 0)
  return [...groups.values()].sort((a, b) => missing(b) - missing(a) || (a.title < b.title ? -1 : 1))
}
