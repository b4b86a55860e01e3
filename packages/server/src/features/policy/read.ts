import type {
  AssignmentView,
  ExceptionView,
  ListedTemplate,
  PolicyGrid,
  PolicyListing,
  TemplatePage,
  TemplateRevision,
  TemplateSummary,
} from '#contract'
import {
  conditionsOf,
  exceptionUses,
  matcher,
  minute,
  targetSentence,
  templateChanges,
  watchKind,
  withIncluded,
  type ClientId,
  type CompiledPolicy,
  type DeviceTraits,
  type ExceptionUse,
  type Millis,
  type TemplateBody,
  type WatchSpec,
} from '#core'
import { rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import type { Viewer } from '../access'
import { allTraits } from '../estate'
import { isForeign, readEstate, type Estate } from './names'
import { policyInForce, targetsOf, type PolicyInForce } from '../../store/policy'

interface Saved {
  id: number
  saved_at: number
  saved_by: string | null
}

async function savedBy(db: Db, view: 'template' | 'assignment' | 'exception'): Promise<Map<number, Saved>> {
  // The view's name is one of three constants.
  const found = await rows<Saved>(
    db,
    `select v.id, v.saved_at, p.name as saved_by from ${view} v left join person p on p.id = v.saved_by limit 60000`,
  )
  return new Map(found.map((row) => [row.id, row]))
}

/** All that the views of policy are made of, read once; devices are those that the viewer may see. */
interface PolicyView {
  policy: PolicyInForce
  devices: readonly DeviceTraits[]
  estate: Estate
  uses: ReadonlyMap<number, ExceptionUse>
  people: ReadonlyMap<number, string>
  saved: Record<'template' | 'assignment' | 'exception', Map<number, Saved>>
  /** Devices that get each template through any of its assignments that is awake. */
  reached: ReadonlyMap<number, readonly DeviceTraits[]>
  /** How many devices each assignment matches, awake or not. */
  matching: ReadonlyMap<number, number>
}

/** What policy reaches: a look at every device for each target, and the dearest part of every view. */
type Reach = Pick<PolicyView, 'devices' | 'uses' | 'reached' | 'matching'>

/** Days of review pass; so long what was found counts. */
const reachKept = minute
/** Kept with the list of devices that it was found for; another list, or another policy, is looked at anew. */
const found = new WeakMap<readonly DeviceTraits[], { of: CompiledPolicy; until: Millis; reaches: Map<string, Reach> }>()

function reachOf(policy: PolicyInForce, all: readonly DeviceTraits[], { clientIds }: Viewer): Reach {
  const now = Date.now()
  let kept = found.get(all)
  if (kept?.of !== policy.compiled || kept.until < now)
    found.set(all, (kept = { of: policy.compiled, until: now + reachKept, reaches: new Map() }))
  const key = String(clientIds)
  const known = kept.reaches.get(key)
  if (known) return known
  const devices = clientIds === null ? all : all.filter((device) => clientIds.includes(device.clientId))
  const byId = new Map(policy.templates.map((template) => [template.id, template]))
  const matching = new Map(policy.assignments.map(({ id, target }) => [id, devices.filter(matcher(target))]))
  const placed = new Map<number, Set<DeviceTraits>>()
  for (const { id: assignmentId, templateId, dormant } of policy.assignments) {
    const template = byId.get(templateId)
    if (!template || dormant) continue
    for (const { id } of withIncluded(template, byId)) {
      const devicesOf = placed.get(id) ?? new Set()
      for (const device of matching.get(assignmentId)!) devicesOf.add(device)
      placed.set(id, devicesOf)
    }
  }
  const reach: Reach = {
    devices,
    uses: new Map(exceptionUses(policy.compiled, devices, now).map((use) => [use.exception.id, use])),
    reached: new Map(policy.templates.map(({ id }) => [id, [...(placed.get(id) ?? [])]])),
    matching: new Map([...matching].map(([id, devicesOf]) => [id, devicesOf.length])),
  }
  kept.reaches.set(key, reach)
  return reach
}

async function readView(db: Db, viewer: Viewer): Promise<PolicyView> {
  const policy = await policyInForce(db)
  const all = await allTraits(db, targetsOf(policy))
  return {
    policy,
    ...reachOf(policy, all, viewer),
    estate: await readEstate(db, viewer.clientIds),
    people: new Map(
      (await rows<{ id: number; name: string }>(db, 'select id, name from person limit 10000')).map((row) => [
        row.id,
        row.name,
      ]),
    ),
    saved: {
      template: await savedBy(db, 'template'),
      assignment: await savedBy(db, 'assignment'),
      exception: await savedBy(db, 'exception'),
    },
  }
}

const by = (view: PolicyView, of: keyof PolicyView['saved'], id: number) =>
  view.saved[of].get(id)?.saved_by ?? 'the first start'

function summary(view: PolicyView, id: number): TemplateSummary {
  const { name, description, revision, watches, includes } = view.policy.templates.find(
    (template) => template.id === id,
  )!
  const keys = new Set(watches.map((watch) => watch.key))
  return {
    id,
    name,
    description,
    revision,
    includes,
    watchCount: watches.length,
    deviceCount: view.reached.get(id)!.length,
    exceptionCount: view.policy.exceptions.filter((exception) => keys.has(exception.watch)).length,
    savedAt: view.saved.template.get(id)?.saved_at ?? 0,
    savedBy: by(view, 'template', id),
  }
}

function assignmentViews(view: PolicyView): AssignmentView[] {
  const watchOf = new Map(view.policy.templates.flatMap(({ watches }) => watches.map((watch) => [watch.key, watch])))
  return view.policy.assignments.map((assignment) => ({
    ...assignment,
    templateName: view.policy.templates.find((template) => template.id === assignment.templateId)?.name ?? '',
    targetText: targetSentence(assignment.target, view.estate),
    watches: Object.fromEntries(
      Object.keys(assignment.values).flatMap((key) => {
        const spec = watchOf.get(key)
        return spec ? [[key, { name: spec.name, kind: spec.kind }]] : []
      }),
    ),
    deviceCount: view.matching.get(assignment.id) ?? 0,
    createdBy: by(view, 'assignment', assignment.id),
  }))
}

function exceptionViews(view: PolicyView): ExceptionView[] {
  const withWatch = new Map<string, { id: number; name: string; watch: WatchSpec }[]>()
  for (const { id, name, watches } of view.policy.templates)
    for (const watch of watches) withWatch.set(watch.key, [...(withWatch.get(watch.key) ?? []), { id, name, watch }])
  return view.policy.exceptions.map((exception) => {
    const having = withWatch.get(exception.watch) ?? []
    const use = view.uses.get(exception.id)!
    return {
      ...exception,
      targetText: targetSentence(exception.target, view.estate),
      watchName: having[0]?.watch.name ?? exception.watch,
      kind: having[0]?.watch.kind ?? '',
      deviceCount: use.devices,
      doubts: use.doubts,
      templates: having.map(({ id, name }) => ({ id, name })),
      ownerName: exception.ownerId === null ? '' : (view.people.get(exception.ownerId) ?? ''),
      createdBy: by(view, 'exception', exception.id),
    }
  })
}

/** Whoever is limited to some clients is not told what others have. */
function seen<T extends { target: AssignmentView['target']; deviceCount: number }>(
  views: T[],
  policyView: PolicyView,
  clientIds: readonly ClientId[] | null,
): T[] {
  if (clientIds === null) return views
  return views.filter((view) => view.deviceCount > 0 || !isForeign(view.target, clientIds, policyView.estate))
}

interface RevisionRow extends TemplateBody {
  revision: number
  saved_at: number
  saved_by: string | null
  note: string
}

async function revisionsOf(db: Db, id: number, templateName: (id: number) => string): Promise<TemplateRevision[]> {
  const found = await rows<RevisionRow>(
    db,
    `
    select r.revision, r.saved_at, p.name as saved_by, r.note, r.name, r.description, r.includes, r.watches
    from template_revision r left join person p on p.id = r.saved_by
    where r.id = $1 order by r.revision desc limit 200`,
    [id],
  )
  return found.map(({ revision, saved_at, saved_by, note, ...body }, i) => {
    const before = found[i + 1]
    return {
      revision,
      savedAt: saved_at,
      savedBy: saved_by ?? 'the first start',
      note,
      body,
      changes: before ? templateChanges(before, body, templateName) : [],
    }
  })
}

export async function templatePage(db: Db, viewer: Viewer, id: number): Promise<TemplatePage> {
  const view = await readView(db, viewer)
  const template = view.policy.templates.find((template) => template.id === id)
  if (!template) throw new ProblemError('no-such-template')
  const nameOf = (of: number) => view.policy.templates.find((each) => each.id === of)?.name ?? 'a template that is gone'
  const keys = new Set(template.watches.map((watch) => watch.key))
  return {
    ...summary(view, id),
    watches: template.watches,
    assignments: seen(
      assignmentViews(view).filter((view) => view.templateId === id),
      view,
      viewer.clientIds,
    ),
    exceptions: seen(
      exceptionViews(view).filter((view) => keys.has(view.watch)),
      view,
      viewer.clientIds,
    ),
    includedBy: view.policy.templates
      .filter((candidate) => candidate.includes.includes(id))
      .map(({ id: by, name }) => ({ id: by, name })),
    revisions: await revisionsOf(db, id, nameOf),
  }
}

export async function templateSummaries(db: Db, viewer: Viewer): Promise<TemplateSummary[]> {
  const view = await readView(db, viewer)
  return view.policy.templates.map((template) => summary(view, template.id))
}

export async function policyListing(db: Db, viewer: Viewer): Promise<PolicyListing> {
  const view = await readView(db, viewer)
  const assignments = seen(assignmentViews(view), view, viewer.clientIds)
  const owners = new Map(
    (
      await rows<{ id: number; name: string }>(
        db,
        `select r.id, p.name from template_revision r join person p on p.id = r.saved_by where r.revision = 1 limit 5000`,
      )
    ).map((row) => [row.id, row.name]),
  )
  const templates = view.policy.templates.map((template): ListedTemplate => ({
    ...summary(view, template.id),
    kinds: [...new Set(template.watches.map((watch) => watch.kind))],
    roles: [
      ...new Set(
        assignments
          .filter((each) => each.templateId === template.id)
          .flatMap((each) => conditionsOf(each.target))
          .flatMap((each) => (each.on === 'role' ? [each.role] : [])),
      ),
    ],
    owner: owners.get(template.id) ?? '',
    text: [
      template.name,
      template.description,
      ...template.watches.flatMap((watch) => [watch.name, watch.why, watchKind(watch.kind).title]),
    ].join('\n'),
  }))
  return { templates, assignments, exceptions: seen(exceptionViews(view), view, viewer.clientIds) }
}

/** Devices by each of their roles; one without a role gets policy, too, and is under “”. */
function inRoles(devices: readonly DeviceTraits[]): Map<string, DeviceTraits[]> {
  const found = new Map<string, DeviceTraits[]>()
  for (const device of devices)
    for (const role of device.roles.length ? device.roles : ['']) {
      const list = found.get(role)
      if (list) list.push(device)
      else found.set(role, [device])
    }
  return found
}

export async function policyGrid(db: Db, viewer: Viewer): Promise<PolicyGrid> {
  const view = await readView(db, viewer)
  const { policy, devices, reached } = view
  const all = inRoles(devices)
  const isFor = (role: string, templateId: number) =>
    policy.assignments.some(
      (assignment) =>
        assignment.templateId === templateId &&
        conditionsOf(assignment.target).some((condition) => condition.on === 'role' && condition.role === role),
    )
  const roles = [...view.estate.roles]
    .map(([id, name]) => ({ id, name, devices: all.get(id)?.length ?? 0 }))
    .sort((a, b) => a.name.localeCompare(b.name))
    .filter((role) => role.devices > 0 || policy.templates.some((template) => isFor(role.id, template.id)))
  const without = all.get('')?.length ?? 0
  const matches = new Map(policy.exceptions.map((exception) => [exception.id, matcher(exception.target)]))
  const cell = (role: string, templateId: number, of: readonly DeviceTraits[] = []) => {
    const assigned = role !== '' && isFor(role, templateId)
    if (!of.length && !assigned) return []
    const keys = new Set(
      policy.templates.find((template) => template.id === templateId)!.watches.map((watch) => watch.key),
    )
    const exceptions = policy.exceptions.filter(
      (exception) => keys.has(exception.watch) && of.some(matches.get(exception.id)!),
    ).length
    return [{ role, templateId, devices: of.length, exceptions, assigned }]
  }
  return {
    roles: [...roles, ...(without ? [{ id: '', name: 'no role', devices: without }] : [])],
    templates: policy.templates.map((template) => summary(view, template.id)),
    cells: policy.templates.flatMap((template) => {
      const ofRole = inRoles(reached.get(template.id)!)
      return [...roles.map((role) => role.id), ''].flatMap((role) => cell(role, template.id, ofRole.get(role)))
    }),
  }
}
