import { matchesPattern } from '../text'
import type { ClientId, DeviceId, RoleId, SiteId } from '../units'
import type { DeviceKind, Facts, OsFamily } from './facts'
import { inNetwork, readNetwork } from './network'

/** What decides which policies and windows reach a device. */
export interface DeviceTraits {
  id: DeviceId
  name: string
  clientId: ClientId
  siteId: SiteId
  kind: DeviceKind
  /** Null: it has no agent. */
  osFamily: OsFamily | null
  osName: string
  roles: readonly RoleId[]
  tags: readonly string[]
  addresses: readonly string[]
  /** As far as a condition asks for them; a subject that is absent matches nothing. */
  facts: Facts
}

/** What of a device's facts a condition can ask for, by a pattern of names; ports by their number. */
export const targetFacts = ['service', 'package', 'port', 'disk', 'log'] as const
export type TargetFact = (typeof targetFacts)[number]

/** The fact subject that each of them looks at. */
export const targetFactSubject = {
  service: 'services',
  package: 'packages',
  port: 'ports',
  disk: 'disks',
  log: 'logs',
} as const satisfies Record<TargetFact, keyof Facts>

export type Condition =
  | { on: 'everyone' }
  | { on: 'kind'; kind: DeviceKind }
  | { on: 'os'; osFamily: OsFamily }
  | { on: 'osName'; pattern: string }
  | { on: 'role'; role: RoleId }
  | { on: 'fact'; fact: TargetFact; pattern: string }
  | { on: 'client'; clientId: ClientId }
  | { on: 'site'; siteId: SiteId }
  | { on: 'network'; network: string }
  | { on: 'tag'; tag: string }
  | { on: 'name'; pattern: string }
  | { on: 'devices'; deviceIds: readonly DeviceId[] }

/** `except` matches where none of its parts does. */
export type Group = { on: 'all' | 'any' | 'except'; of: readonly Target[] }
/** Which devices something is for: one condition, or several put together, nested as deep as `maxTargetDepth`. */
export type Target = Condition | Group
export const maxTargetDepth = 5
export const maxTargetParts = 60

export function isGroup(target: Target): target is Group {
  return target.on === 'all' || target.on === 'any' || target.on === 'except'
}

export type ConditionClass = Condition['on']

/**
 * How specific a condition is; the greater wins: chosen device > tag or name > site or network > client > role or what
 * runs there > kind and system > everyone.
 */
const classes: Record<ConditionClass, number> = {
  everyone: 0,
  kind: 1,
  os: 1,
  osName: 1,
  role: 2,
  fact: 2,
  client: 3,
  site: 4,
  network: 4,
  tag: 5,
  name: 5,
  devices: 6,
}

/** As specific as chosen devices: no target is more so. */
export const mostSpecific = classes.devices

/**
 * How specific a target is. What must all be true is as specific as its most specific part; of what may each be true
 * the least specific counts; what is left out makes nothing more specific.
 */
export function specificity(target: Target): number {
  switch (target.on) {
    case 'all':
      return Math.max(0, ...target.of.map(specificity))
    case 'any':
      return target.of.length ? Math.min(...target.of.map(specificity)) : 0
    case 'except':
      return 0
    default:
      return classes[target.on]
  }
}

function named(fact: TargetFact, facts: Facts): readonly string[] {
  switch (fact) {
    case 'service':
      return facts.services?.map((service) => service.name) ?? []
    case 'package':
      return facts.packages ?? []
    case 'port':
      return facts.ports?.map((port) => String(port.port)) ?? []
    case 'disk':
      return facts.disks?.map((disk) => disk.mount) ?? []
    case 'log':
      return facts.logs?.map((log) => log.name) ?? []
  }
}

export type Match = (device: DeviceTraits) => boolean

/** The target as a function, worked out once for many devices. */
export function matcher(target: Target): Match {
  switch (target.on) {
    case 'everyone':
      return () => true
    case 'kind':
      return (device) => device.kind === target.kind
    case 'os':
      return (device) => device.osFamily === target.osFamily
    case 'osName':
      return (device) => matchesPattern(target.pattern, device.osName)
    case 'role':
      return (device) => device.roles.includes(target.role)
    case 'fact':
      return (device) => named(target.fact, device.facts).some((name) => matchesPattern(target.pattern, name))
    case 'client':
      return (device) => device.clientId === target.clientId
    case 'site':
      return (device) => device.siteId === target.siteId
    case 'network': {
      const network = readNetwork(target.network)
      if (!network) return () => false
      // Reading an address costs more than all else here.
      const known = new Map<string, boolean>()
      const within = (address: string) => {
        let inside = known.get(address)
        if (inside === undefined) known.set(address, (inside = inNetwork(address, network)))
        return inside
      }
      return (device) => device.addresses.some(within)
    }
    case 'tag':
      return (device) => device.tags.includes(target.tag)
    case 'name':
      return (device) => matchesPattern(target.pattern, device.name)
    case 'devices': {
      const ids = new Set(target.deviceIds)
      return (device) => ids.has(device.id)
    }
    case 'all': {
      const parts = target.of.map(matcher)
      return (device) => parts.every((part) => part(device))
    }
    case 'any': {
      const parts = target.of.map(matcher)
      return (device) => parts.some((part) => part(device))
    }
    case 'except': {
      const parts = target.of.map(matcher)
      return (device) => !parts.some((part) => part(device))
    }
  }
}

/** Targets as functions, for as long as they are there: the same windows and rules are tried on device after device. */
const matchers = new WeakMap<Target, Match>()

export function targets(target: Target, device: DeviceTraits): boolean {
  let match = matchers.get(target)
  if (!match) matchers.set(target, (match = matcher(target)))
  return match(device)
}

/** Every condition in a target, however deep. */
export function conditionsOf(target: Target): Condition[] {
  return isGroup(target) ? target.of.flatMap(conditionsOf) : [target]
}

/** The subjects of facts that the targets ask for: what has to be known of a device before they can be tried. */
export function factsAsked(all: readonly Target[]): (keyof Facts)[] {
  const asked = all
    .flatMap(conditionsOf)
    .flatMap((condition) => (condition.on === 'fact' ? [targetFactSubject[condition.fact]] : []))
  return [...new Set(asked)].sort()
}
