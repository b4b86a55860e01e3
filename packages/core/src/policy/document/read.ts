import { isGroup, type Target } from '../../estate'
import { sameData } from '../../same'
import type { Policy } from '../roster'
import type { PolicyStep } from '../steps'
import type { AssignmentBody, ExceptionBody, Template, TemplateBody } from '../template'
import { dayText, everything, header, type References } from './form'
import { kindFaults, Reader, type DocumentFault, type Path } from './reader'

export interface FromDocument {
  steps: PolicyStep[]
  /** Where in the document each step stands; null for what is not in it any more. */ places: (Path | null)[]
  faults: DocumentFault[]
}

/**
 * The steps that make the policy what the document says. Templates are known again by their names, assignments by
 * template and target, exceptions by watch and target; what the document covers and does not name is removed.
 */
export function fromDocument(document: unknown, policy: Policy, refs: References, note: string): FromDocument {
  const reader = new Reader(refs)
  const steps: PolicyStep[] = []
  const places: (Path | null)[] = []
  const put = (step: PolicyStep, place: Path | null) => {
    steps.push(step)
    places.push(place)
  }
  const root = reader.fields(document, [], 'The document')
  if (root.format !== header)
    reader.fault('format' in root ? ['format'] : [], `A document of policy says “format: ${header}”.`)
  reader.only(root, ['format', 'covers', 'templates', 'assignments', 'exceptions'], [])
  const covered = root.covers === everything ? null : reader.list(root.covers, ['covers']).map(String)
  if (!('covers' in root))
    reader.fault(
      [],
      `It has to say what it covers: “covers: ${everything}”, or a list of templates. What it covers and does not name is removed.`,
    )
  if (reader.faults.length) return { steps, places, faults: reader.faults }

  const known = (name: string) =>
    policy.templates.find((template) => template.name.toLowerCase() === name.toLowerCase())
  const written = reader
    .list(root.templates, ['templates'])
    .map((node, i) => ({ fields: reader.fields(node, ['templates', i], 'A template'), at: ['templates', i] as Path }))
  const ids = new Map<string, number>()
  written.forEach(({ fields, at }, i) => {
    const name = reader.text(fields, 'name', at)
    if (ids.has(name.toLowerCase())) reader.fault([...at, 'name'], `“${name}” stands here twice.`)
    if (covered && !covered.includes(name))
      reader.fault([...at, 'name'], `“${name}” is not among what the document covers. Add it there.`)
    ids.set(name.toLowerCase(), known(name)?.id ?? -1 - i)
  })
  const templateId = (value: unknown, at: Path): number => {
    const name = typeof value === 'string' ? value : ''
    return reader.number(ids.get(name.toLowerCase()) ?? known(name)?.id ?? null, at, 'template', value)
  }
  for (const { fields, at } of written) {
    reader.only(fields, ['name', 'for', 'includes', 'watches'], at)
    const watches = fields.watches === undefined ? {} : reader.fields(fields.watches, [...at, 'watches'], 'Watches')
    const to: TemplateBody = {
      name: reader.text(fields, 'name', at),
      description: reader.text(fields, 'for', at, ''),
      includes: reader
        .list(fields.includes, [...at, 'includes'])
        .map((node, i) => templateId(node, [...at, 'includes', i])),
      watches: Object.entries(watches).map(([key, value]) => reader.watch(key, value, [...at, 'watches', key])),
    }
    const before = known(to.name)
    if (!before) put({ of: 'template', id: ids.get(to.name.toLowerCase())!, basedOn: 0, note, to }, at)
    else if (!sameTemplate(before, to)) put({ of: 'template', id: before.id, basedOn: before.revision, note, to }, at)
  }

  const concerns = (id: number) => covered === null || covered.some((name) => known(name)?.id === id)
  const allWatches = [
    ...steps.flatMap((step) => (step.of === 'template' && step.to ? step.to.watches : [])),
    ...policy.templates.flatMap((template) => template.watches),
  ]
  const kindOf = (key: string) => allWatches.find((watch) => watch.key === key)?.kind ?? ''

  const oldAssignments = policy.assignments.filter((assignment) => concerns(assignment.templateId))
  reader.list(root.assignments, ['assignments']).forEach((value, i) => {
    const at: Path = ['assignments', i]
    const fields = reader.fields(value, at, 'An assignment')
    reader.only(fields, ['template', 'to', 'rank', 'dormant', 'values', 'why', 'review'], at)
    const target = reader.target(fields.to, [...at, 'to'])
    kindFaults(target, [...at, 'to'], reader)
    const rank = fields.rank ?? 100
    if (typeof rank !== 'number' || !Number.isInteger(rank) || rank < 0 || rank > 1000)
      reader.fault([...at, 'rank'], 'A rank is a whole number from 0 to 1000; without one it is 100.')
    const own = fields.values === undefined ? {} : reader.fields(fields.values, [...at, 'values'], 'Own values')
    const to: AssignmentBody = {
      templateId: templateId(fields.template, 'template' in fields ? [...at, 'template'] : at),
      target,
      rank: rank as number,
      dormant: reader.flag(fields, 'dormant', at),
      values: Object.fromEntries(
        Object.entries(own).map(([key, values]) => [key, reader.values(values, kindOf(key), [...at, 'values', key])]),
      ),
      reason: reader.text(fields, 'why', at, ''),
      reviewAt: reader.day(fields, 'review', at),
    }
    const step = reconcile(
      to,
      oldAssignments,
      (before) => before.templateId === to.templateId,
      assignmentBody,
      -10_001 - i,
    )
    if (step) put({ of: 'assignment', ...step }, at)
  })

  const coveredKeys =
    covered === null
      ? null
      : new Set(
          [
            ...policy.templates.filter((template) => concerns(template.id)),
            ...steps.flatMap((step) => (step.of === 'template' && step.to ? [step.to] : [])),
          ].flatMap((template) => template.watches.map((watch) => watch.key)),
        )
  const oldExceptions = policy.exceptions.filter(
    (exception) => coveredKeys === null || coveredKeys.has(exception.watch),
  )
  reader.list(root.exceptions, ['exceptions']).forEach((value, i) => {
    const at: Path = ['exceptions', i]
    const fields = reader.fields(value, at, 'An exception')
    reader.only(fields, ['watch', 'for', 'left out', 'values', 'why', 'owner', 'review'], at)
    const target = reader.target(fields.for, [...at, 'for'])
    kindFaults(target, [...at, 'for'], reader)
    const watch = reader.text(fields, 'watch', at)
    const to: ExceptionBody = {
      target,
      watch,
      values: reader.values(fields.values, kindOf(watch), [...at, 'values']),
      leftOut: reader.flag(fields, 'left out', at),
      reason: reader.text(fields, 'why', at),
      ownerId:
        fields.owner === undefined
          ? null
          : reader.number(refs.personOf(String(fields.owner)), [...at, 'owner'], 'person', fields.owner),
      reviewAt: reader.day(fields, 'review', at),
    }
    const step = reconcile(to, oldExceptions, (before) => before.watch === watch, exceptionBody, -50_001 - i)
    if (step) put({ of: 'exception', ...step }, at)
  })

  for (const exception of oldExceptions)
    put({ of: 'exception', id: exception.id, basedOn: exception.revision, to: null }, null)
  for (const assignment of oldAssignments)
    put({ of: 'assignment', id: assignment.id, basedOn: assignment.revision, to: null }, null)
  for (const template of policy.templates)
    if (concerns(template.id) && !ids.has(template.name.toLowerCase()))
      put({ of: 'template', id: template.id, basedOn: template.revision, note, to: null }, null)
  return { steps, places, faults: reader.faults }
}

/**
 * What the document says of one thing, against what there is.
 * @param left what no part of the document has named yet; the one that is meant is taken out
 * @param isSame whether it is about the same, but for the target
 * @param plain what of it the document can say
 * @returns the step that is needed; null where nothing changes
 */
function reconcile<Body extends { target: Target; reviewAt: number | null }>(
  to: Body,
  left: (Body & { id: number; revision: number })[],
  isSame: (before: Body) => boolean,
  plain: (body: Body) => unknown,
  newId: number,
): { id: number; basedOn: number; to: Body } | null {
  const n = left.findIndex((before) => isSame(before) && sameData(before.target, normal(to.target, before.target)))
  const [before] = n < 0 ? [] : left.splice(n, 1)
  if (!before) return { id: newId, basedOn: 0, to }
  const kept = { ...to, target: before.target, reviewAt: sameDay(before.reviewAt, to.reviewAt) }
  return sameData(plain(before), plain(kept)) ? null : { id: before.id, basedOn: before.revision, to: kept }
}

function sameTemplate(a: Template, { name, description, includes, watches }: TemplateBody): boolean {
  return sameData([a.name, a.description, a.includes, a.watches], [name, description, includes, watches])
}

function exceptionBody({ values, leftOut, reason, ownerId, reviewAt }: ExceptionBody): unknown {
  return [values, leftOut, reason, ownerId, reviewAt]
}

function assignmentBody({
  templateId,
  target,
  rank,
  dormant,
  values,
  reason,
  reviewAt,
}: AssignmentBody): AssignmentBody {
  return { templateId, target, rank, dormant, values, reason, reviewAt }
}

/** A document has days; a time on the same day is the same. */
function sameDay(before: number | null, written: number | null): number | null {
  return before !== null && written !== null && dayText(before) === dayText(written) ? before : written
}

/** Chosen devices are a set, and a document sorts them by name. */
function normal(written: Target, before: Target): Target {
  if (
    written.on === 'devices' &&
    before.on === 'devices' &&
    sameData([...written.deviceIds].sort(), [...before.deviceIds].sort())
  )
    return before
  if (isGroup(written) && isGroup(before) && written.on === before.on && written.of.length === before.of.length)
    return { on: before.on, of: written.of.map((target, i) => normal(target, before.of[i]!)) }
  return sameData(written, before) ? before : written
}
