import type { OsFamily, Target } from '../estate'
import type { Millis } from '../units'
import { parameterFault, valueText, watchKinds, type Values } from '../watch'

/** One line of a template. Values that are absent are left to less specific sources, at last to the kind's default. */
export interface WatchSpec {
  /** What merges with what: watches of the same key are one watch on a device. */
  key: string
  kind: string
  name: string
  /** Why one would want it, in words. */
  why: string
  /** Empty: every OS family. */
  osFamilies: OsFamily[]
  values: Values
}

/** What a person writes of a template. */
export interface TemplateBody {
  name: string
  description: string
  /** Templates whose watches it brings too; where both speak about a thing, its own word counts. */
  includes: number[]
  watches: WatchSpec[]
}
export interface Template extends TemplateBody {
  id: number
  revision: number
}

/** Puts a template on a target, with values of its own by watch key. */
export interface AssignmentBody {
  templateId: number
  target: Target
  /** Among equally specific ones the lower number wins. */
  rank: number
  values: Readonly<Record<string, Values>>
  dormant: boolean
  reason: string
  /** When somebody should ask whether it is still wanted. */
  reviewAt: Millis | null
}
export interface Assignment extends AssignmentBody {
  id: number
  revision: number
  createdAt: Millis
}

/** A value changed, or a watch left out, with a reason. */
export interface ExceptionBody {
  target: Target
  watch: string
  values: Values
  leftOut: boolean
  reason: string
  /** The person who answers for it. */
  ownerId: number | null
  reviewAt: Millis | null
}
export interface Exception extends ExceptionBody {
  id: number
  revision: number
  createdAt: Millis
}

/** `code`: where it is more than a wrong field: the name is taken, or something still refers to it. */
export interface Fault {
  at: string
  message: string
  code?: 'already-exists' | 'still-used'
}

const levelPairs: Record<string, readonly (readonly [worse: string, milder: string, direction: 1 | -1])[]> = {
  'disk-space': [
    ['critical.percent', 'warning.percent', -1],
    ['critical.bytes', 'warning.bytes', -1],
  ],
  'cpu-busy': [
    ['critical', 'warning', 1],
    ['warning', 'notice', 1],
  ],
  load: [
    ['critical', 'warning', 1],
    ['warning', 'notice', 1],
  ],
  paging: [
    ['critical', 'warning', 1],
    ['warning', 'notice', 1],
  ],
  'memory-available': [
    ['critical', 'warning', -1],
    ['warning', 'notice', -1],
  ],
  'certificate-left': [['critical', 'warning', -1]],
}

/** What is wrong with values for a watch of this kind; each fault names the parameter. */
export function valueFaults(kindName: string, values: Values): Fault[] {
  const kind = watchKinds.get(kindName)
  if (!kind) return [{ at: 'kind', message: `There is no watch kind “${kindName}”.` }]
  const faults: Fault[] = []
  for (const [name, value] of Object.entries(values)) {
    const parameter = kind.parameters.find((parameter) => parameter.name === name)
    const message = parameter ? parameterFault(parameter, value) : `${kind.title} has no parameter “${name}”.`
    if (message) faults.push({ at: name, message })
  }
  return faults
}

/** Where of values as they are evaluated, defaults included, a more urgent level is reached before a milder one. */
export function levelFaults(kindName: string, values: Values): Fault[] {
  const kind = watchKinds.get(kindName)
  return (levelPairs[kindName] ?? []).flatMap(([worse, milder, direction]) => {
    const [a, b] = [values[worse], values[milder]]
    if (typeof a !== 'number' || typeof b !== 'number' || (a - b) * direction >= 0) return []
    const said = (name: string, value: number) => {
      const parameter = kind?.parameters.find((parameter) => parameter.name === name)
      return `${name} (${parameter ? valueText(parameter, value) : value})`
    }
    return [
      {
        at: worse,
        message: `The more urgent level is reached before the milder one: make ${said(worse, a)} ${direction > 0 ? 'larger' : 'smaller'} than ${said(milder, b)}.`,
      },
    ]
  })
}

/** Values of a watch with the defaults of its kind where it says nothing. */
export function withDefaults(kindName: string, values: Values): Values {
  return {
    ...Object.fromEntries(
      (watchKinds.get(kindName)?.parameters ?? []).map((parameter) => [parameter.name, parameter.default]),
    ),
    ...values,
  }
}

export function templateFaults(watches: readonly WatchSpec[]): Fault[] {
  const faults: Fault[] = []
  const seen = new Set<string>()
  for (const watch of watches) {
    if (seen.has(watch.key))
      faults.push({ at: watch.key, message: `The key “${watch.key}” is used twice in this template.` })
    seen.add(watch.key)
    if (!/^[a-z0-9][a-z0-9.-]{0,60}$/.test(watch.key))
      faults.push({ at: watch.key, message: 'A key has small letters, digits, dots and hyphens, 61 at most.' })
    for (const fault of [
      ...valueFaults(watch.kind, watch.values),
      ...levelFaults(watch.kind, withDefaults(watch.kind, watch.values)),
    ])
      faults.push({ at: `${watch.key}.${fault.at}`, message: fault.message })
  }
  return faults
}

/**
 * The template and those it includes, the nearer first, each once. What is missing is left out, and a ring ends where
 * it closes.
 */
export function withIncluded(template: Template, byId: ReadonlyMap<number, Template>): Template[] {
  const all = [template]
  for (let i = 0; i < all.length; i++)
    for (const id of all[i]!.includes) {
      const included = byId.get(id)
      if (included && !all.includes(included)) all.push(included)
    }
  return all
}
