import type { DeviceTraits } from '../estate'
import { joinedPatterns } from '../text'
import type { DeviceId, Millis } from '../units'
import { watchKinds, type ParameterValue, type Values } from '../watch'
import type { CompiledPolicy } from './compile'
import type { EffectiveWatch, Policy } from './roster'
import type { PolicyStep } from './steps'
import type { Exception, WatchSpec } from './template'

/**
 * Why an exception is worth a look: its date has passed; it changes nothing anywhere; it reaches nothing that has the
 * watch.
 */
export type ExceptionDoubt = 'date passed' | 'changes nothing' | 'reaches nothing'
export interface ExceptionUse {
  exception: Exception
  devices: number
  doubts: ExceptionDoubt[]
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const isAdding = (kind: string, name: string) =>
  watchKinds.get(kind)?.parameters.some((parameter) => parameter.name === name && parameter.adds) ?? false

/** The exceptions that a watch shows in its chains, and whether each of them makes a difference there. */
function exceptionsIn(watch: EffectiveWatch): ReadonlyMap<number, boolean> {
  const found = new Map<number, boolean>()
  for (const [name, chain] of Object.entries(watch.chains))
    chain.forEach(({ value, source }, i) => {
      if (source.from !== 'exception') return
      const others = () =>
        joinedPatterns(
          chain.filter((link, j) => j !== i && !link.dormant).map((link) => link.value as readonly string[]),
        )
      const differs = isAdding(watch.kind, name)
        ? !same(others().toSorted(), (watch.values[name] as readonly string[]).toSorted())
        : i === 0 && !same(value, chain[1]?.value)
      found.set(source.id, differs || (found.get(source.id) ?? false))
    })
  if (watch.leftOutBy) found.set(watch.leftOutBy.id, true)
  return found
}

/** Every exception with the devices it reaches, and what speaks against it. */
export function exceptionUses(compiled: CompiledPolicy, devices: readonly DeviceTraits[], at: Millis): ExceptionUse[] {
  const seen = new Map<EffectiveWatch, ReadonlyMap<number, boolean>>()
  const reached = new Map<number, number>()
  const differing = new Set<number>()
  for (const device of devices)
    for (const watch of compiled.roster(device)) {
      let found = seen.get(watch)
      if (!found) seen.set(watch, (found = exceptionsIn(watch)))
      for (const [id, differs] of found) {
        reached.set(id, (reached.get(id) ?? 0) + 1)
        if (differs) differing.add(id)
      }
    }
  return compiled.policy.exceptions.map((exception) => {
    const count = reached.get(exception.id) ?? 0
    const doubts: ExceptionDoubt[] = []
    if (exception.reviewAt !== null && exception.reviewAt <= at) doubts.push('date passed')
    if (count === 0) doubts.push('reaches nothing')
    else if (!differing.has(exception.id)) doubts.push('changes nothing')
    return { exception, devices: count, doubts }
  })
}

/** The values of a watch with those of an exception: what adds goes to what is there. */
function together({ kind, values }: WatchSpec, more: Values): Values {
  const joined = Object.entries(more).map(([name, value]): [string, ParameterValue] => [
    name,
    isAdding(kind, name) ? joinedPatterns([value, values[name] ?? []] as (readonly string[])[]) : value,
  ])
  return { ...values, ...Object.fromEntries(joined) }
}

/** Makes an exception what its template says, for everybody: the template changes, the exception goes. */
export function pullUp(
  policy: Pick<Policy, 'templates' | 'exceptions'>,
  exceptionId: number,
  templateId: number,
): PolicyStep[] {
  const exception = policy.exceptions.find((exception) => exception.id === exceptionId)
  const template = policy.templates.find((template) => template.id === templateId)
  if (!exception || !template) return []
  const { id, revision, name, description, includes } = template
  const body = { name, description, includes, watches: template.watches }
  const watches = exception.leftOut
    ? body.watches.filter((watch) => watch.key !== exception.watch)
    : body.watches.map((watch) =>
        watch.key === exception.watch ? { ...watch, values: together(watch, exception.values) } : watch,
      )
  return [
    {
      of: 'template',
      id,
      basedOn: revision,
      note: `What was an exception: ${exception.reason}`,
      to: { ...body, watches },
    },
    { of: 'exception', id: exceptionId, basedOn: exception.revision, to: null },
  ]
}

/** The devices on which this value of the template is the one that counts. */
export function devicesFollowing(
  compiled: CompiledPolicy,
  devices: readonly DeviceTraits[],
  templateId: number,
  key: string,
  parameter: string,
): DeviceId[] {
  return devices
    .filter((device) => {
      const watch = compiled.roster(device).find((candidate) => candidate.key === key)
      const chain = watch?.chains[parameter] ?? []
      const heard = watch && isAdding(watch.kind, parameter) ? chain : chain.slice(0, 1)
      return heard.some(({ source }) => source.from === 'template' && source.id === templateId)
    })
    .map((device) => device.id)
}

/**
 * Lets the devices that follow a value of a template today keep it as an exception of their own, whatever the template
 * says later.
 */
export function keepForPresent(
  compiled: CompiledPolicy,
  devices: readonly DeviceTraits[],
  templateId: number,
  key: string,
  parameter: string,
  reason: string,
  ownerId: number | null,
): PolicyStep[] {
  const value = compiled.policy.templates
    .find((template) => template.id === templateId)
    ?.watches.find((watch) => watch.key === key)?.values[parameter]
  const deviceIds = devicesFollowing(compiled, devices, templateId, key, parameter)
  if (value === undefined || !deviceIds.length) return []
  return [
    {
      of: 'exception',
      id: -1,
      basedOn: 0,
      to: {
        target: { on: 'devices', deviceIds },
        watch: key,
        values: { [parameter]: value },
        leftOut: false,
        reason,
        ownerId,
        reviewAt: null,
      },
    },
  ]
}
