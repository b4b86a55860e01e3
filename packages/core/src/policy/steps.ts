import { targetFaults, type EstateNames } from '../estate'
import { countText } from '../text'
import type { Millis } from '../units'
import { watchKinds } from '../watch'
import type { Policy } from './roster'
import {
  levelFaults,
  templateFaults,
  valueFaults,
  withDefaults,
  withIncluded,
  type AssignmentBody,
  type ExceptionBody,
  type Fault,
  type Template,
  type TemplateBody,
} from './template'

/**
 * One thing that a change of policy does; a change is a list of them and happens as a whole or not at all. `id` below
 * zero: new, and later steps of the same change speak of it by that number. `to` null: removed. `basedOn`: the
 * revision that was looked at; 0 for what is new.
 */
export type PolicyStep =
  | { of: 'template'; id: number; basedOn: number; note: string; to: TemplateBody | null }
  | { of: 'assignment'; id: number; basedOn: number; to: AssignmentBody | null }
  | { of: 'exception'; id: number; basedOn: number; to: ExceptionBody | null }

/** What a change may speak about, for what is said of it. */
export interface KnownEstate extends EstateNames {
  siteClient(siteId: number): number | null
}

/** The policy as it would be. What is new keeps its number below zero, so that nothing else has it. */
export function withSteps(policy: Policy, steps: readonly PolicyStep[], at: Millis): Policy {
  const put = <T extends { id: number }>(
    list: readonly T[],
    id: number,
    make: ((before: T | undefined) => T) | null,
  ): readonly T[] => {
    const rest = list.filter((row) => row.id !== id)
    return make ? [...rest, make(list.find((row) => row.id === id))] : rest
  }
  let { templates, assignments, exceptions } = policy
  for (const step of steps) {
    const { id } = step
    const revision = step.basedOn + 1
    // Of two new ones the later step is the newer.
    const made = (before: { createdAt: Millis } | undefined) => ({
      id,
      revision,
      createdAt: before?.createdAt ?? at + steps.indexOf(step),
    })
    if (step.of === 'template') templates = put(templates, id, step.to && (() => ({ ...step.to!, id, revision })))
    else if (step.of === 'assignment')
      assignments = put(assignments, id, step.to && ((before) => ({ ...step.to!, ...made(before) })))
    else exceptions = put(exceptions, id, step.to && ((before) => ({ ...step.to!, ...made(before) })))
  }
  return { templates, assignments, exceptions }
}

/**
 * The shortest way round, in names, when a template includes itself through others. Each template is looked at once.
 */
function ring(template: Template, byId: ReadonlyMap<number, Template>): string[] | null {
  const cameFrom = new Map<number, number>()
  const reached = [template.id]
  for (const id of reached)
    for (const included of byId.get(id)?.includes ?? []) {
      if (included === template.id) {
        const way = [included]
        for (let at = id; at !== template.id; at = cameFrom.get(at)!) way.unshift(at)
        return [template.id, ...way].map((templateId) => byId.get(templateId)!.name)
      }
      if (cameFrom.has(included)) continue
      cameFrom.set(included, id)
      reached.push(included)
    }
  return null
}

function templateStepFaults(id: number, to: TemplateBody, after: Policy): Fault[] {
  const byId = new Map(after.templates.map((template) => [template.id, template]))
  const faults: Fault[] = [...templateFaults(to.watches)]
  if (!to.name.trim()) faults.push({ at: 'name', message: 'A template needs a name: later there are hundreds.' })
  if (
    after.templates.some(
      (template) => template.id !== id && template.name.toLowerCase() === to.name.trim().toLowerCase(),
    )
  )
    faults.push({
      at: 'name',
      message: `There is a template “${to.name}” already. Choose another name.`,
      code: 'already-exists',
    })
  for (const included of to.includes)
    if (!byId.has(included))
      faults.push({
        at: 'includes',
        message: 'It includes a template that does not exist (any more). Leave it out, or make it first.',
      })
  const round = ring(byId.get(id)!, byId)
  if (round)
    faults.push({ at: 'includes', message: `It includes itself: ${round.join(' → ')}. Leave one of them out.` })
  return faults
}

function assignmentFaults(to: AssignmentBody, after: Policy, estate: KnownEstate): Fault[] {
  const faults = knownTargetFaults(to.target, estate)
  const template = after.templates.find((template) => template.id === to.templateId)
  if (!template) return [...faults, { at: 'templateId', message: 'There is no such template (any more).' }]
  const watches = withIncluded(template, new Map(after.templates.map((listed) => [listed.id, listed]))).flatMap(
    (layer) => layer.watches,
  )
  for (const [key, values] of Object.entries(to.values)) {
    const watch = watches.find((watch) => watch.key === key)
    if (!watch) faults.push({ at: `values.${key}`, message: `“${template.name}” has no watch “${key}”.` })
    else
      for (const fault of [
        ...valueFaults(watch.kind, values),
        ...levelFaults(watch.kind, withDefaults(watch.kind, { ...watch.values, ...values })),
      ])
        faults.push({ at: `values.${key}.${fault.at}`, message: fault.message })
  }
  return faults
}

function exceptionFaults(to: ExceptionBody, after: Policy, estate: KnownEstate): Fault[] {
  const faults = knownTargetFaults(to.target, estate)
  const kinds = [
    ...new Set(
      after.templates
        .flatMap((template) => template.watches)
        .filter((watch) => watch.key === to.watch)
        .map((watch) => watch.kind),
    ),
  ]
  if (!kinds.length) faults.push({ at: 'watch', message: `No template has a watch “${to.watch}”.` })
  else {
    const fitting =
      kinds.find((name) =>
        Object.keys(to.values).every((value) =>
          watchKinds.get(name)?.parameters.some((parameter) => parameter.name === value),
        ),
      ) ?? kinds[0]!
    for (const fault of valueFaults(fitting, to.values))
      faults.push({ at: `values.${fault.at}`, message: fault.message })
    // Templates may use one key with different values: what fits one of them may be meant for its devices alone.
    const wrong = after.templates
      .flatMap((template) => template.watches)
      .filter((watch) => watch.key === to.watch && watch.kind === fitting)
      .map((watch) => levelFaults(fitting, withDefaults(fitting, { ...watch.values, ...to.values })))
    if (wrong.every((list) => list.length))
      for (const fault of wrong[0] ?? []) faults.push({ at: `values.${fault.at}`, message: fault.message })
  }
  if (!to.leftOut && Object.keys(to.values).length === 0)
    faults.push({ at: 'values', message: 'An exception changes at least one value, or leaves the watch out.' })
  if (to.reason.trim().length < 3)
    faults.push({ at: 'reason', message: 'Say why: whoever finds this exception in a year needs it.' })
  return faults
}

/** What is incomplete, contradictory or not there (any more) in a target; `at` begins with `target`. */
export function knownTargetFaults(target: AssignmentBody['target'], estate: KnownEstate): Fault[] {
  const missing = (what: string) => `There is no such ${what} (any more).`
  const faults = targetFaults(target, (siteId) => estate.siteClient(siteId)).map(({ at, message }) => ({
    at: ['target', ...at].join('.'),
    message,
  }))
  const look = (node: AssignmentBody['target'], at: string): void => {
    if (node.on === 'all' || node.on === 'any' || node.on === 'except')
      node.of.forEach((part, i) => {
        look(part, `${at}.${i}`)
      })
    else if (node.on === 'client' && node.clientId > 0 && estate.client(node.clientId) === null)
      faults.push({ at, message: missing('client') })
    else if (node.on === 'site' && node.siteId > 0 && estate.site(node.siteId) === null)
      faults.push({ at, message: missing('site') })
    else if (node.on === 'role' && node.role && estate.role(node.role) === null)
      faults.push({ at, message: missing('role') })
    else if (node.on === 'devices' && node.deviceIds.some((id) => estate.device(id) === null))
      faults.push({
        at,
        message: `${countText(node.deviceIds.filter((id) => estate.device(id) === null).length, 'chosen device is', 'chosen devices are')} not in use (any more). Leave them out.`,
      })
  }
  look(target, 'target')
  return faults
}

function removalFaults(id: number, before: Policy, after: Policy): Fault[] {
  const name = before.templates.find((template) => template.id === id)?.name ?? ''
  const assigned = after.assignments.filter((assignment) => assignment.templateId === id).length
  const including = after.templates
    .filter((template) => template.includes.includes(id))
    .map((template) => `“${template.name}”`)
  return [
    ...(assigned
      ? [
          {
            at: '',
            message: `“${name}” is still assigned (${countText(assigned, 'assignment')}). Take those away first.`,
            code: 'still-used' as const,
          },
        ]
      : []),
    ...(including.length
      ? [
          {
            at: '',
            message: `“${name}” is included by ${including.join(', ')}. Leave it out there first.`,
            code: 'still-used' as const,
          },
        ]
      : []),
  ]
}

/** What makes steps no change at all: two about one thing, or something new that has a past. */
function shapeFaults(steps: readonly PolicyStep[]): Fault[] {
  const about = new Set<string>()
  return steps.flatMap((step, i) => {
    const at = `steps.${i}`
    const key = `${step.of} ${step.id}`
    if (about.has(key))
      return [{ at, message: `Another step of this change is about the same ${step.of}. Put both into one.` }]
    about.add(key)
    if (step.id < 0 && step.to === null)
      return [{ at, message: `This ${step.of} is not there yet, so it cannot be removed.` }]
    if (step.id < 0 && step.basedOn !== 0)
      return [{ at: `${at}.basedOn`, message: `This ${step.of} is new: it is based on no revision, 0.` }]
    return []
  })
}

function faultsOf(step: PolicyStep, before: Policy, after: Policy, estate: KnownEstate): Fault[] {
  switch (step.of) {
    case 'template':
      return step.to ? templateStepFaults(step.id, step.to, after) : removalFaults(step.id, before, after)
    case 'assignment':
      return step.to ? assignmentFaults(step.to, after, estate) : []
    case 'exception':
      return step.to ? exceptionFaults(step.to, after, estate) : []
  }
}

/** What is wrong with a change, `at` the step (its position) and the field of it. */
export function stepFaults(before: Policy, steps: readonly PolicyStep[], estate: KnownEstate): Fault[] {
  const shape = shapeFaults(steps)
  if (shape.length) return shape
  const after = withSteps(before, steps, 0)
  return steps.flatMap((step, i) => {
    return faultsOf(step, before, after, estate).map((fault) => ({
      ...fault,
      at: [`steps.${i}`, fault.at].filter(Boolean).join('.'),
    }))
  })
}
