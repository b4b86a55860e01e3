import type { AssignmentView, ExceptionView, PolicyGrid, TemplatePage, TemplateRevision, TemplateSummary } from '#contract'
import { targets, type DeviceTraits, type Exception, type Policy } from '#core'
import { rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { allTraits } from '../estate'
import { policyInForce } from './store'
import { matching, readNames, targetText } from './words'

interface Saved { id: number; saved_at: number; saved_by: string | null }

async function savedBy(db: Db, view: 'template' | 'assignment' | 'exception'): Promise<Map<number, Saved>> {
  // The view's name is one of three constants.
  const found = await rows<Saved>(db, `select v.id, v.saved_at, p.name as saved_by from ${view} v left join person p on p.id = v.saved_by limit 30000`)
  return new Map(found.map((row) => [row.id, row]))
}

/** Devices that get a template through any of its assignments that is awake. */
function reached(policy: Policy, templateId: number, devices: readonly DeviceTraits[]): DeviceTraits[] {
  const placed = policy.assignments.filter((one) => one.templateId === templateId && !one.dormant)
  return devices.filter((device) => placed.some((one) => targets(one.target, device)))
}

function exceptionsOn(policy: Policy, templateId: number): Exception[] {
  const keys = new Set(policy.templates.find((one) => one.id === templateId)?.watches.map((watch) => watch.key))
  return policy.exceptions.filter((one) => keys.has(one.watch))
}

export async function templateSummaries(db: Db): Promise<TemplateSummary[]> {
  const policy = await policyInForce(db)
  const devices = await allTraits(db)
  const saved = await savedBy(db, 'template')
  return policy.templates.map((template) => ({
    id: template.id, name: template.name, description: template.description, revision: template.revision, watchCount: template.watches.length,
    deviceCount: reached(policy, template.id, devices).length,
    exceptionCount: exceptionsOn(policy, template.id).length,
    savedAt: saved.get(template.id)!.saved_at, savedBy: saved.get(template.id)!.saved_by ?? 'the first start',
  }))
}

export async function templatePage(db: Db, id: number): Promise<TemplatePage> {
  const policy = await policyInForce(db)
  const template = policy.templates.find((one) => one.id === id)
  if (!template) throw new ProblemError('not-found')
  const summary = (await templateSummaries(db)).find((one) => one.id === id)!
  const names = await readNames(db)
  const devices = await allTraits(db)
  const assignmentSaved = await savedBy(db, 'assignment')
  const exceptionSaved = await savedBy(db, 'exception')
  const assignments: AssignmentView[] = policy.assignments.filter((one) => one.templateId === id).map((one) => ({
    ...one, templateName: template.name, targetText: targetText(one.target, names), deviceCount: matching(one.target, devices),
    createdBy: assignmentSaved.get(one.id)?.saved_by ?? '',
  }))
  const exceptions: ExceptionView[] = exceptionsOn(policy, id).map((one) => ({ ...one, targetText: targetText(one.target, names), createdBy: exceptionSaved.get(one.id)?.saved_by ?? '' }))
  const revisions = await rows<TemplateRevision>(db, `
    select r.revision, r.saved_at as "savedAt", coalesce(p.name, '') as "savedBy", r.note from template_revision r left join person p on p.id = r.saved_by
    where r.id = $1 order by r.revision desc limit 200`, [id])
  return { ...summary, watches: [...template.watches], assignments, exceptions, revisions }
}

export async function policyGrid(db: Db): Promise<PolicyGrid> {
  const policy = await policyInForce(db)
  const devices = await allTraits(db)
  const templates = await templateSummaries(db)
  const roles = await rows<{ id: string; name: string }>(db, 'select id, name from role order by name limit 500')
  const used = roles.map((role) => ({ ...role, devices: devices.filter((device) => device.roles.includes(role.id)).length }))
  return {
    roles: used.filter((role) => role.devices > 0 || policy.assignments.some((one) => one.target.on === 'role' && one.target.role === role.id)),
    templates,
    cells: used.flatMap((role) => templates.flatMap((template) => {
      const inRole = reached(policy, template.id, devices).filter((device) => device.roles.includes(role.id))
      const assigned = policy.assignments.some((one) => one.templateId === template.id && one.target.on === 'role' && one.target.role === role.id)
      if (!inRole.length && !assigned) return []
      const exceptions = exceptionsOn(policy, template.id).filter((one) => inRole.some((device) => targets(one.target, device))).length
      return [{ role: role.id, templateId: template.id, devices: inRole.length, exceptions, assigned }]
    })),
  }
}
