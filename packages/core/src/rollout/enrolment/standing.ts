import { inNetwork, readNetwork, type DeviceKind, type OsFamily } from '../../estate'
import { matchesPattern } from '../../text'
import type { ClientId, RoleId, SiteId } from '../../units'

/** What is known of a device when it appears. */
export interface Newcomer {
  name: string
  clientId: ClientId
  siteId: SiteId
  kind: DeviceKind
  osFamily: OsFamily
  addresses: readonly string[]
}

/** Which newcomers a rule is about: all that it names must fit; null is no condition. */
export interface NewcomerCondition {
  clientId: ClientId | null
  siteId: SiteId | null
  kind: DeviceKind | null
  osFamily: OsFamily | null
  namePattern: string | null
  network: string | null
}

/** What a newly seen device gets by itself, without anybody touching it. */
export interface StandingRule {
  id: number
  name: string
  when: NewcomerCondition
  roles: readonly RoleId[]
  tags: readonly string[]
  /** Take the roles that its facts speak for without asking. */
  takeDetected: boolean
  /** People who want to hear that it appeared. */
  notify: readonly number[]
}

export interface StandingEffects {
  roles: RoleId[]
  tags: string[]
  takeDetected: boolean
  notify: number[]
  rules: number[]
}

export function concerns(when: NewcomerCondition, newcomer: Newcomer): boolean {
  const network = when.network === null ? null : readNetwork(when.network)
  return (
    (when.clientId === null || when.clientId === newcomer.clientId) &&
    (when.siteId === null || when.siteId === newcomer.siteId) &&
    (when.kind === null || when.kind === newcomer.kind) &&
    (when.osFamily === null || when.osFamily === newcomer.osFamily) &&
    (when.namePattern === null || matchesPattern(when.namePattern, newcomer.name)) &&
    (when.network === null || (network !== null && newcomer.addresses.some((address) => inNetwork(address, network))))
  )
}

/** What all rules together give a newcomer; they add to each other, so that their order does not matter. */
export function standingEffects(rules: readonly StandingRule[], newcomer: Newcomer): StandingEffects {
  const fitting = rules.filter((rule) => concerns(rule.when, newcomer)).sort((a, b) => a.id - b.id)
  const all = <T extends string | number>(pick: (rule: StandingRule) => readonly T[]): T[] =>
    [...new Set(fitting.flatMap(pick))].sort()
  return {
    roles: all((rule) => rule.roles),
    tags: all((rule) => rule.tags),
    takeDetected: fitting.some((rule) => rule.takeDetected),
    notify: all((rule) => rule.notify),
    rules: fitting.map((rule) => rule.id),
  }
}
