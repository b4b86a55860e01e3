import { specificity, targets, type DeviceTraits, type Target } from '../estate'
import type { Millis } from '../units'
import { watchKinds, type ParameterValue, type Values } from '../watch'
import type { Assignment, Exception, Template, WatchSpec } from './template'

/** Where a value comes from. */
export interface Source {
  from: 'default' | 'template' | 'assignment' | 'exception'
  id: number
  /** The template's name, or the reason of the exception. */
  name: string
  revision: number | null
  target: Target | null
}

export interface ChainLink { value: ParameterValue; source: Source; dormant: boolean }

/** `standing`: evaluated, or placed but asleep, or left out by an exception. */
export interface EffectiveWatch {
  key: string
  kind: string
  name: string
  why: string
  standing: 'active' | 'dormant' | 'left out'
  values: Values
  /** For each parameter what won, first, and then what it beat, in order. */
  chains: Readonly<Record<string, readonly ChainLink[]>>
  /** Every placed template that brings this watch. */
  broughtBy: Source[]
  leftOutBy: Source | null
}

export interface Policy {
  templates: readonly Template[]
  assignments: readonly Assignment[]
  exceptions: readonly Exception[]
}

interface Claim {
  source: Source
  /** An exception beats the value of an assignment, and that its template's own, on equally specific targets. */
  layer: 0 | 1 | 2
  target: Target
  rank: number
  createdAt: Millis
  id: number
  dormant: boolean
  values: Values
}

/** An exception for chosen devices stands above everything else. */
function weight(claim: Claim): number {
  return specificity[claim.target.on] + (claim.layer === 2 && claim.target.on === 'devices' ? 1 : 0)
}

/** Total order, winner first: awake before dormant, more specific, later layer, lower rank, newer, greater id. */
function byPrecedence(a: Claim, b: Claim): number {
  return (
    Number(a.dormant) - Number(b.dormant) ||
    weight(b) - weight(a) ||
    b.layer - a.layer ||
    a.rank - b.rank ||
    b.createdAt - a.createdAt ||
    b.id - a.id
  )
}

function forThisOs(watch: WatchSpec, device: DeviceTraits): boolean {
  return watch.osFamilies.length === 0 || watch.osFamilies.includes(device.osFamily)
}

interface Gathered { spec: WatchSpec; claim: Claim }

function gather(device: DeviceTraits, policy: Policy): Map<string, Gathered[]> {
  const templates = new Map(policy.templates.map((template) => [template.id, template]))
  const byKey = new Map<string, Gathered[]>()
  for (const assignment of policy.assignments) {
    const template = templates.get(assignment.templateId)
    if (!template || !targets(assignment.target, device)) continue
    for (const spec of template.watches) {
      if (!forThisOs(spec, device)) continue
      const base = { target: assignment.target, rank: assignment.rank, createdAt: assignment.createdAt, id: assignment.id, dormant: assignment.dormant }
      const source = { name: template.name, revision: template.revision, target: assignment.target }
      const claims: Claim[] = [{ ...base, layer: 0, values: spec.values, source: { ...source, from: 'template', id: template.id } }]
      const own = assignment.values[spec.key]
      if (own) claims.push({ ...base, layer: 1, values: own, source: { ...source, from: 'assignment', id: assignment.id } })
      const list = byKey.get(spec.key) ?? []
      list.push(...claims.map((claim) => ({ spec, claim })))
      byKey.set(spec.key, list)
    }
  }
  return byKey
}

/**
 * What one device really gets: the assignments that reach it, without watches for other OS families, watches of the same
 * key merged parameter by parameter, every value with its chain. A dormant assignment never wins over one that is awake; a
 * watch that only dormant ones bring is dormant. Total and deterministic: independent of the order of its input.
 */
export function resolveRoster(device: DeviceTraits, policy: Policy): EffectiveWatch[] {
  const roster: EffectiveWatch[] = []
  for (const [key, gathered] of gather(device, policy)) {
    gathered.sort((a, b) => byPrecedence(a.claim, b.claim))
    const lead = gathered[0]!.spec
    const kind = watchKinds.get(lead.kind)
    if (!kind) continue
    // A less specific template may use the same key for another kind of watch; its values would mean something else.
    const claims = gathered.filter((one) => one.spec.kind === lead.kind).map((one) => one.claim)
    let leftOutBy: { claim: Claim; source: Source } | null = null
    for (const exception of policy.exceptions) {
      if (exception.watch !== key || !targets(exception.target, device)) continue
      const source: Source = { from: 'exception', id: exception.id, name: exception.reason, revision: null, target: exception.target }
      const claim: Claim = { source, layer: 2, target: exception.target, rank: 0, createdAt: exception.createdAt, id: exception.id, dormant: false, values: exception.values }
      claims.push(claim)
      if (exception.leftOut && (!leftOutBy || byPrecedence(claim, leftOutBy.claim) < 0)) leftOutBy = { claim, source }
    }
    claims.sort(byPrecedence)
    const values: Record<string, ParameterValue> = {}
    const chains: Record<string, ChainLink[]> = {}
    for (const parameter of kind.parameters) {
      const chain: ChainLink[] = claims.flatMap((claim) => {
        const value = claim.values[parameter.name]
        return value === undefined ? [] : [{ value, source: claim.source, dormant: claim.dormant }]
      })
      chain.push({ value: parameter.default, source: { from: 'default', id: 0, name: kind.title, revision: null, target: null }, dormant: false })
      const dormantWatch = claims.every((claim) => claim.dormant || claim.layer === 2)
      const effective = dormantWatch ? chain : [...chain.filter((link) => !link.dormant), ...chain.filter((link) => link.dormant)]
      chains[parameter.name] = effective
      values[parameter.name] = effective[0]!.value
    }
    const placed = gathered.map((one) => one.claim).filter((claim) => claim.layer === 0)
    roster.push({
      key,
      kind: lead.kind,
      name: lead.name,
      why: lead.why,
      standing: leftOutBy ? 'left out' : placed.every((claim) => claim.dormant) ? 'dormant' : 'active',
      values,
      chains,
      broughtBy: placed.map((claim) => claim.source),
      leftOutBy: leftOutBy?.source ?? null,
    })
  }
  return roster.sort((a, b) => (a.key < b.key ? -1 : 1))
}

export interface WatchChange { key: string; name: string; change: 'added' | 'removed' | 'altered'; parameters: string[] }

/** What differs between two rosters of a device, as far as it is evaluated. */
export function compareRosters(before: readonly EffectiveWatch[], after: readonly EffectiveWatch[]): WatchChange[] {
  const active = (roster: readonly EffectiveWatch[]) => new Map(roster.filter((one) => one.standing === 'active').map((one) => [one.key, one]))
  const old = active(before)
  const now = active(after)
  const changes: WatchChange[] = []
  for (const watch of now.values()) {
    const was = old.get(watch.key)
    if (!was) changes.push({ key: watch.key, name: watch.name, change: 'added', parameters: [] })
    else {
      const parameters = Object.keys(watch.values).filter((name) => JSON.stringify(watch.values[name]) !== JSON.stringify(was.values[name]))
      if (parameters.length || was.kind !== watch.kind) changes.push({ key: watch.key, name: watch.name, change: 'altered', parameters })
    }
  }
  for (const watch of old.values()) if (!now.has(watch.key)) changes.push({ key: watch.key, name: watch.name, change: 'removed', parameters: [] })
  return changes
}
