import { sameData } from '../same'
import { patternFault } from '../text'
import { readNetwork } from './network'
import { isGroup, maxTargetDepth, maxTargetParts, type Condition, type Group, type Target } from './target'

/** `at`: the way to the part, as the positions in each group from the outermost on; empty is the whole. */
export interface TargetFault {
  at: readonly number[]
  message: string
}

function conditionFault(condition: Condition): string | null {
  switch (condition.on) {
    case 'role':
      return condition.role ? null : 'Choose a role.'
    case 'client':
      return condition.clientId > 0 ? null : 'Choose a client.'
    case 'site':
      return condition.siteId > 0 ? null : 'Choose a site.'
    case 'tag':
      return condition.tag.trim() ? null : 'Type a tag.'
    case 'devices':
      return condition.deviceIds.length ? null : 'Choose at least one device.'
    case 'name':
      return condition.pattern.trim()
        ? patternFault(condition.pattern)
        : 'Type a name, with * for any run of characters: db-*.'
    case 'osName':
      return condition.pattern.trim()
        ? patternFault(condition.pattern)
        : 'Type a system, with * for any run of characters: Debian*12*.'
    case 'network':
      return readNetwork(condition.network)
        ? null
        : `${condition.network ? `“${condition.network}” is no address range.` : 'Type an address range.'} Write it in CIDR notation, like 192.0.2.0/24, with the bits of the host at zero.`
    case 'fact':
      if (!condition.pattern.trim())
        return condition.fact === 'port'
          ? 'Type a port, like 443.'
          : `Type the name of a ${condition.fact}, with * for any run of characters.`
      if (
        condition.fact === 'port' &&
        !(/^\d{1,5}$/.test(condition.pattern) && Number(condition.pattern) >= 1 && Number(condition.pattern) <= 65_535)
      )
        return `“${condition.pattern}” is no port: a port is a number from 1 to 65535.`
      return patternFault(condition.pattern)
    default:
      return null
  }
}

/** A device is of one kind, runs one system, and stands at one site of one client: two of these cannot both be true. */
function single(condition: Condition): { what: string; value: string | number } | null {
  switch (condition.on) {
    case 'kind':
      return { what: 'kind', value: condition.kind }
    case 'os':
      return { what: 'system', value: condition.osFamily }
    case 'client':
      return { what: 'client', value: condition.clientId }
    case 'site':
      return { what: 'site', value: condition.siteId }
    default:
      return null
  }
}

/** What must all be true in a group of `all`, with that of the groups of `all` in it, and where each stands. */
function together(group: Group, at: readonly number[]): { part: Target; at: readonly number[] }[] {
  return group.of.flatMap((part, i) => (part.on === 'all' ? together(part, [...at, i]) : [{ part, at: [...at, i] }]))
}

function contradictions(
  group: Group,
  at: readonly number[],
  siteClient: (siteId: number) => number | null,
): TargetFault[] {
  const parts = together(group, at)
  const faults: TargetFault[] = []
  parts.forEach(({ part, at: here }, i) => {
    for (const { part: before } of parts.slice(0, i)) {
      if (isGroup(part) || isGroup(before)) continue
      const [a, b] = [single(before), single(part)]
      if (a && b && a.what === b.what && a.value !== b.value)
        faults.push({
          at: here,
          message: `No device has two of a ${a.what}. If either will do, put both into “any of”.`,
        })
      const [site, client] = before.on === 'site' ? [before, part] : [part, before]
      if (site.on === 'site' && client.on === 'client') {
        const owner = siteClient(site.siteId)
        if (owner !== null && owner !== client.clientId)
          faults.push({ at: here, message: 'The site is another client’s, so no device is at both.' })
      }
    }
    const left =
      part.on === 'except'
        ? part.of.find((target) => parts.some(({ part: other }) => sameData(target, other)))
        : undefined
    if (left) faults.push({ at: here, message: 'What is asked for is left out again here, so nothing is left.' })
  })
  return faults
}

/**
 * What is incomplete or contradictory in a target, each with the part it is about.
 * @param siteClient whose site it is, where that is known
 */
export function targetFaults(
  target: Target,
  siteClient: (siteId: number) => number | null = () => null,
): TargetFault[] {
  const faults: TargetFault[] = []
  let parts = 0
  const look = (node: Target, at: readonly number[], depth: number, inAll: boolean): void => {
    parts++
    if (!isGroup(node)) {
      const message = conditionFault(node)
      if (message) faults.push({ at, message })
      return
    }
    if (depth > maxTargetDepth)
      faults.push({
        at,
        message: `Groups may stand in each other ${maxTargetDepth} deep, not deeper. Put conditions side by side.`,
      })
    else if (!node.of.length)
      faults.push({
        at,
        message: {
          all: 'Nothing is asked for here yet: add a condition.',
          any: 'No choice is given here yet: add a condition.',
          except: 'Nothing is left out here yet: add a condition, or take “except” away.',
        }[node.on],
      })
    else
      node.of.forEach((part, i) => {
        look(part, [...at, i], depth + 1, node.on === 'all')
      })
    if (node.on === 'except' && node.of.some((part) => part.on === 'everyone'))
      faults.push({ at, message: 'Every device is left out here, so nothing is left.' })
    // A nested group of `all` is looked through from the outermost one.
    if (node.on === 'all' && !inAll) faults.push(...contradictions(node, at, siteClient))
  }
  look(target, [], 1, false)
  if (parts > maxTargetParts)
    faults.push({
      at: [],
      message: `A target has at most ${maxTargetParts} parts; this has ${parts}. A tag on the devices says it shorter.`,
    })
  return faults
}
