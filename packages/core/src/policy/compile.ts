import {
  matcher,
  mostSpecific,
  specificity,
  type DeviceTraits,
  type Match,
  type OsFamily,
  type Target,
} from '../estate'
import { joinedPatterns } from '../text'
import type { DeviceId, Millis } from '../units'
import { isLookedAt, watchKinds, type ParameterValue, type Values, type WatchKind } from '../watch'
import type { ChainLink, EffectiveWatch, Policy, Roster, Source } from './roster'
import { withIncluded, type WatchSpec } from './template'

/** One voice about a watch: a template's, an assignment's or an exception's, with all that decides whether it wins. */
interface Claim {
  plan: KeyPlan
  /** Its position among the claims of its key, the winner first. */
  place: number
  /** The assignment or exception it belongs to. */
  by: number
  /** An exception beats the value of an assignment, and that its template's own, on equally specific targets. */
  layer: 0 | 1 | 2
  weight: number
  dormant: boolean
  rank: number
  createdAt: Millis
  id: number
  /** How far the template stands from the assigned one; what includes another goes before it. */
  depth: number
  values: Values
  spec: WatchSpec | null
  source: Source
  leftOut: boolean
}

/**
 * Total order, winner first: awake before dormant, more specific, later layer, lower rank, newer, greater id, and
 * within one assignment the including template before the included.
 */
function byPrecedence(a: Claim, b: Claim): number {
  return (
    Number(a.dormant) - Number(b.dormant) ||
    b.weight - a.weight ||
    b.layer - a.layer ||
    a.rank - b.rank ||
    b.createdAt - a.createdAt ||
    b.id - a.id ||
    a.depth - b.depth
  )
}

/** Watches of one key merged from the claims that count, in their order; null where none of them brings it. */
function merge(key: string, claims: readonly Claim[]): EffectiveWatch | null {
  const lead = claims.find((claim) => claim.layer === 0)
  const kind = lead && watchKinds.get(lead.spec!.kind)
  if (!kind) return null
  const placed: Claim[] = []
  const heard: Claim[] = []
  for (const claim of claims) {
    if (claim.layer === 0) placed.push(claim)
    // A less specific template may use the same key for another kind of watch; its values would mean something else.
    if (claim.spec !== null && claim.spec.kind !== kind.name) continue
    // The values of an assignment count once, however many of the included templates bring the watch.
    if (claim.layer !== 1 || !heard.some((candidate) => candidate.layer === 1 && candidate.by === claim.by))
      heard.push(claim)
  }
  const asleep = placed.every((claim) => claim.dormant)
  const leftOutBy = heard.find((claim) => claim.leftOut)?.source ?? null
  const defaults = defaultsFor(kind)
  const adding = new Set(kind.parameters.filter((parameter) => parameter.adds).map((parameter) => parameter.name))
  const chains: Record<string, readonly ChainLink[]> = { ...defaults.chains }
  const values: Record<string, ParameterValue> = { ...defaults.values }
  const told: Record<string, ChainLink[]> = {}
  const tell = (claim: Claim) => {
    for (const name in claim.values)
      if (name in defaults.values)
        (told[name] ??= []).push({ value: claim.values[name]!, source: claim.source, dormant: claim.dormant })
  }
  const speaks = (claim: Claim) => asleep || !claim.dormant
  for (const claim of heard) if (speaks(claim)) tell(claim)
  for (const name in told) {
    const said = told[name]!.map(({ value }) => value)
    values[name] = adding.has(name) ? joinedPatterns(said as (readonly string[])[]) : said[0]!
    told[name]!.push(...defaults.chains[name]!)
  }
  // What only sleeps does not even win over a default while something else of the watch is awake.
  for (const claim of heard)
    if (!speaks(claim)) {
      for (const name in claim.values) if (name in defaults.values) told[name] ??= [...defaults.chains[name]!]
      tell(claim)
    }
  for (const name in told) chains[name] = told[name]!
  const { name, why } = placed[0]!.spec!
  return {
    key,
    kind: kind.name,
    name,
    why,
    standing: leftOutBy ? 'left out' : asleep ? 'dormant' : 'active',
    values,
    chains,
    broughtBy: placed.map((claim) => claim.source),
    leftOutBy,
  }
}

interface Defaults {
  values: Values
  chains: Readonly<Record<string, readonly ChainLink[]>>
}
const defaultsOf = new Map<WatchKind, Defaults>()

/** What stands at the end of every chain of a kind, and alone where nobody says anything. */
function defaultsFor(kind: WatchKind): Defaults {
  let defaults = defaultsOf.get(kind)
  if (!defaults) {
    const source: Source = { from: 'default', id: 0, name: kind.title, revision: null, target: null }
    defaults = {
      values: Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default])),
      chains: Object.fromEntries(
        kind.parameters.map((parameter) => [parameter.name, [{ value: parameter.default, source, dormant: false }]]),
      ),
    }
    defaultsOf.set(kind, defaults)
  }
  return defaults
}

/** All claims about one key, and the watches that they were merged to so far. */
class KeyPlan {
  readonly claims: Claim[] = []
  readonly #merged = new Map<string, EffectiveWatch | null>()

  constructor(readonly key: string) {}

  order(): void {
    this.claims.sort(byPrecedence).forEach((claim, place) => {
      claim.place = place
    })
  }
  merged(counting: Claim[]): EffectiveWatch | null {
    counting.sort((a, b) => a.place - b.place)
    const mark = counting.map((claim) => claim.place).join(' ')
    let found = this.#merged.get(mark)
    if (found === undefined) this.#merged.set(mark, (found = merge(this.key, counting)))
    return found
  }
}

/** Finds what reaches a device without asking all that name devices one by one. */
class Reaching {
  readonly #general: { by: number; match: Match }[] = []
  readonly #chosen = new Map<DeviceId, number[]>()

  add(by: number, target: Target): void {
    if (target.on !== 'devices') this.#general.push({ by, match: matcher(target) })
    else
      for (const id of target.deviceIds) {
        const list = this.#chosen.get(id)
        if (list) list.push(by)
        else this.#chosen.set(id, [by])
      }
  }
  of(device: DeviceTraits): number[] {
    const found: number[] = []
    for (const { by, match } of this.#general) if (match(device)) found.push(by)
    const chosen = this.#chosen.get(device.id)
    return chosen ? [...found, ...chosen] : found
  }
}

/** A policy made ready for many devices. */
export interface CompiledPolicy {
  policy: Policy
  /**
   * What one device really gets: the assignments that reach it, without watches for other OS families, watches of the
   * same key merged parameter by parameter, every value with its chain. A dormant assignment never wins over one that
   * is awake; a watch that only dormant ones bring is dormant. Total and deterministic, whatever the order of the
   * input. Devices that are reached by the same things share one roster, and watches that were merged from the same
   * things are one object.
   */
  roster(device: DeviceTraits): Roster
}

/**
 * Prepares policy for many devices: targets become functions, templates are flattened once. Costs in the order of
 * templates × watches + assignments + exceptions; a roster then costs what reaches the device.
 * @param policy whole; what an assignment or exception names and is not there counts as absent
 * @example
 * const compiled = compilePolicy({ templates, assignments, exceptions })
 * for (const device of devices) compiled.roster(device).filter((watch) => watch.standing === 'active')
 */
export function compilePolicy(policy: Policy): CompiledPolicy {
  const templates = new Map(policy.templates.map((template) => [template.id, template]))
  const plans = new Map<string, KeyPlan>()
  const planOf = (key: string) => {
    let plan = plans.get(key)
    if (!plan) plans.set(key, (plan = new KeyPlan(key)))
    return plan
  }
  const reaching = new Reaching()
  /** What each assignment and each exception says. */
  const said: Claim[][] = []
  const say = (target: Target, claims: (by: number) => Claim[]) => {
    const by = said.length
    reaching.add(by, target)
    said.push(claims(by))
    for (const claim of said[by]!) claim.plan.claims.push(claim)
  }
  for (const { id, templateId, target, rank, createdAt, dormant, values } of policy.assignments) {
    const template = templates.get(templateId)
    if (!template) continue
    const weight = specificity(target)
    say(target, (by) =>
      withIncluded(template, templates).flatMap((layer, depth) =>
        layer.watches.flatMap((spec): Claim[] => {
          const base = {
            plan: planOf(spec.key),
            place: 0,
            by,
            weight,
            rank,
            createdAt,
            id,
            dormant,
            depth,
            spec,
            leftOut: false,
          }
          const own = values[spec.key]
          return [
            {
              ...base,
              layer: 0,
              values: spec.values,
              source: { from: 'template', id: layer.id, name: layer.name, revision: layer.revision, target },
            },
            ...(own
              ? [
                  {
                    ...base,
                    layer: 1 as const,
                    values: own,
                    source: {
                      from: 'assignment' as const,
                      id,
                      name: template.name,
                      revision: template.revision,
                      target,
                    },
                  },
                ]
              : []),
          ]
        }),
      ),
    )
  }
  for (const { id, target, watch, values, leftOut, reason, createdAt } of policy.exceptions) {
    const plan = plans.get(watch)
    if (!plan) continue
    const weight = specificity(target)
    // An exception for chosen devices stands above everything else.
    say(target, (by) => [
      {
        plan,
        place: 0,
        by,
        layer: 2,
        weight: weight + Number(weight === mostSpecific),
        rank: 0,
        createdAt,
        id,
        depth: 0,
        dormant: false,
        values,
        spec: null,
        leftOut,
        source: { from: 'exception', id, name: reason, revision: null, target },
      },
    ])
  }
  for (const plan of plans.values()) plan.order()

  const rosters = new Map<string, Roster>()
  /** Where there is no agent, only what others see is watched. */
  const fits = (claim: Claim, osFamily: OsFamily | null) =>
    claim.spec === null ||
    (osFamily === null
      ? isLookedAt(claim.spec.kind)
      : claim.spec.osFamilies.length === 0 || claim.spec.osFamilies.includes(osFamily))
  const resolve = (reached: readonly number[], osFamily: OsFamily | null): Roster => {
    const counting = new Map<KeyPlan, Claim[]>()
    for (const by of reached)
      for (const claim of said[by]!) {
        if (!fits(claim, osFamily)) continue
        const list = counting.get(claim.plan)
        if (list) list.push(claim)
        else counting.set(claim.plan, [claim])
      }
    return [...counting].flatMap(([plan, claims]) => plan.merged(claims) ?? []).sort((a, b) => (a.key < b.key ? -1 : 1))
  }
  return {
    policy,
    roster(device) {
      const reached = reaching.of(device)
      const mark = `${device.osFamily} ${reached.join(' ')}`
      let roster = rosters.get(mark)
      if (!roster) rosters.set(mark, (roster = resolve(reached, device.osFamily)))
      return roster
    },
  }
}

/** For one device. Whoever asks for several compiles the policy once. */
export function resolveRoster(device: DeviceTraits, policy: Policy): Roster {
  return compilePolicy(policy).roster(device)
}
