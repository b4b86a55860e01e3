import type { Impact, ImpactWatch } from '#contract'
import {
  levelConflicts,
  matcher,
  rosterChanges,
  valueText,
  watchKind,
  withIncluded,
  type ClientId,
  type DeviceTraits,
  type EffectiveWatch,
  type Policy,
  type PolicyStep,
  type WatchChange,
} from '#core'
import { rows, type Db } from '../../db'
import { reevaluateAll } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { allTraits } from '../estate'
import { costOf } from './cost'
import type { DeviceChange } from './deviceChange'
import { policyAsChanged, policyInForce, targetsOf, type PolicyInForce } from '../../store/policy'

/** What differs for every device between the policy in force and another. */
export async function changesTo(db: Db, before: PolicyInForce, after: Policy): Promise<DeviceChange[]> {
  return rosterChanges(await allTraits(db, [...targetsOf(before), ...targetsOf(after)]), before.compiled, after)
}

/** Devices that get a template that is edited but keep a value of their own on one of its watches. */
function keepingTheirOwn(devices: readonly DeviceTraits[], policy: Policy, steps: readonly PolicyStep[]): number {
  const edited = new Set(steps.flatMap((step) => (step.of === 'template' && step.id > 0 ? [step.id] : [])))
  if (!edited.size) return 0
  const byId = new Map(policy.templates.map((template) => [template.id, template]))
  const keys = new Set(
    policy.templates
      .filter((template) => edited.has(template.id))
      .flatMap((template) => template.watches.map((watch) => watch.key)),
  )
  const placed = policy.assignments
    .filter((assignment) => {
      const template = byId.get(assignment.templateId)
      return template && withIncluded(template, byId).some((each) => edited.has(each.id))
    })
    .map((assignment) => matcher(assignment.target))
  const own = policy.exceptions
    .filter((exception) => keys.has(exception.watch))
    .map((exception) => matcher(exception.target))
  return devices.filter((device) => own.some((match) => match(device)) && placed.some((match) => match(device))).length
}

/** @throws ProblemError invalid when a device would get a more urgent level that is reached before a milder one */
function requireLevelsInOrder(changed: readonly DeviceChange[]): void {
  const [first] = levelConflicts(changed)
  if (first)
    throw new ProblemError('invalid', `“${first.name}” on one of the devices that this reaches: ${first.message}`, [
      { at: `values.${first.at}`, message: first.message },
    ])
}

const sentenceOf = (watch: EffectiveWatch | null) => watch && watchKind(watch.kind).sentence(watch.values)
const listed = 200

/** @param clientIds the clients that the viewer may see; null: all. What happens at others is not told. */
/** Old and new value of each parameter, where the watch stays of its kind. */
function movesOf({ before, after, parameters }: WatchChange): string[] {
  if (before?.kind !== after?.kind || !before || !after) return []
  return watchKind(before.kind)
    .parameters.filter(({ name }) => parameters.includes(name))
    .map((parameter) => {
      const text = ({ values }: EffectiveWatch) => valueText(parameter, values[parameter.name] ?? null)
      return `${parameter.label} ${text(before)} → ${text(after)}`
    })
}

export async function impactOf(
  db: Db,
  changed: readonly DeviceChange[],
  clientIds: readonly ClientId[] | null,
  keepOwn = 0,
): Promise<Impact> {
  const seen = changed.filter((change) => clientIds?.includes(change.device.clientId) ?? true)
  const positions = new Map<WatchChange, number>()
  const watches: ImpactWatch[] = []
  const count = { added: 0, removed: 0, altered: 0 }
  for (const { changes } of seen)
    for (const change of changes) {
      count[change.change]++
      let position = positions.get(change)
      if (position === undefined) {
        positions.set(change, (position = watches.length))
        watches.push({
          key: change.key,
          name: change.name,
          change: change.change,
          parameters: change.parameters,
          moves: movesOf(change),
          devices: 0,
          before: sentenceOf(change.before),
          after: sentenceOf(change.after),
        })
      }
      watches[position]!.devices++
    }
  const clientNames = new Map(
    (
      await rows<{ id: number; name: string }>(db, 'select id, name from client where id = any($1)', [
        [...new Set(seen.map((change) => change.device.clientId))],
      ])
    ).map((row) => [row.id, row.name]),
  )
  return {
    devices: seen.length,
    clients: clientNames.size,
    keepOwn,
    ...count,
    watches: watches.slice(0, listed),
    examples: seen.slice(0, listed).map(({ device, changes }) => ({
      deviceId: device.id,
      deviceName: device.name,
      clientId: device.clientId,
      clientName: clientNames.get(device.clientId) ?? '',
      watches: changes.map((change) => positions.get(change)!).filter((position) => position < listed),
    })),
    cost: await costOf(db, seen),
  }
}

/** What steps would do, worked out and not saved. */
export async function impactOfSteps(
  db: Db,
  before: PolicyInForce,
  after: Policy,
  steps: readonly PolicyStep[],
  clientIds: readonly ClientId[] | null,
): Promise<Impact> {
  const devices = await allTraits(db, [...targetsOf(before), ...targetsOf(after)])
  const seen = clientIds ? devices.filter((device) => clientIds.includes(device.clientId)) : devices
  const changed = rosterChanges(seen, before.compiled, after)
  requireLevelsInOrder(changed)
  return impactOf(db, changed, clientIds, keepingTheirOwn(seen, before, steps))
}

/**
 * Makes a change of policy count: runs `write`, then looks again at exactly the devices whose roster it moved, all in
 * one transaction. Agents and browsers have it with the commit.
 */
export async function changePolicy<T>(tx: Db, now: number, write: (before: PolicyInForce) => Promise<T>): Promise<T> {
  // One change at a time: the second compares with what the first has made, and does not wait for it for ever.
  await tx.query(`set local lock_timeout = '8s'`)
  await tx.query('select version from policy_mark for update')
  const before = await policyInForce(tx)
  const result = await write(before)
  const after = await policyAsChanged(tx)
  const changed = rosterChanges(
    await allTraits(tx, [...targetsOf(before), ...targetsOf(after)]),
    before.compiled,
    after.compiled,
  )
  requireLevelsInOrder(changed)
  await reevaluateAll(
    tx,
    new Map(changed.map(({ device, changes }) => [device.id, changes.map((change) => change.key)])),
    now,
  )
  announce(tx, { topic: 'policy', clientIds: null, deviceIds: changed.map((change) => change.device.id) })
  return result
}
