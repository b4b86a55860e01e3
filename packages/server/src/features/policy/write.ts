import type { NewAssignment, NewException, NewTemplate, TemplateEdit } from '#contract'
import { templateFaults, valueFaults, watchKinds, type Fault, type Policy, type Target } from '#core'
import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { audit, type Viewer } from '../access'

const nextId = async (tx: Db) => (await firstRow<{ id: number }>(tx, `select nextval('policy_object_id')::int as id`))!.id

export function refuseFaults(faults: readonly Fault[]): void {
  if (faults.length) throw new ProblemError('invalid', faults[0]!.message, [...faults])
}

async function insertTemplate(tx: Db, id: number, revision: number, body: NewTemplate, note: string, viewer: Viewer): Promise<void> {
  refuseFaults(templateFaults(body.watches))
  const same = await firstRow(tx, 'select 1 from template where lower(name) = lower($1) and id <> $2', [body.name, id])
  if (same) throw new ProblemError('already-exists', `There is a template “${body.name}” already. Choose another name.`)
  await tx.query('insert into template_revision (id, revision, name, description, watches, note, saved_by) values ($1, $2, $3, $4, $5, $6, $7)',
    [id, revision, body.name, body.description, JSON.stringify(body.watches), note, viewer.id])
  await audit(tx, { personId: viewer.id, action: revision === 1 ? 'made' : 'changed', kind: 'template', id, detail: { revision } })
}

export async function addTemplate(tx: Db, body: NewTemplate, viewer: Viewer): Promise<{ id: number }> {
  const id = await nextId(tx)
  await insertTemplate(tx, id, 1, body, '', viewer)
  return { id }
}

export async function editTemplate(tx: Db, id: number, body: TemplateEdit, viewer: Viewer): Promise<void> {
  const now = await firstRow<{ revision: number }>(tx, 'select revision from template where id = $1', [id])
  if (!now) throw new ProblemError('not-found')
  if (now.revision !== body.basedOn) throw new ProblemError('changed-meanwhile', `You edited revision ${body.basedOn}, but revision ${now.revision} is in force now. Nothing was saved; look at it and apply your change to it.`)
  await insertTemplate(tx, id, now.revision + 1, body, body.note, viewer)
}

/** Whoever is limited to some clients may only speak about those. */
function needReach(viewer: Viewer, target: Target): void {
  if (viewer.clientIds !== null && !(target.on === 'client' && viewer.clientIds.includes(target.clientId))) throw new ProblemError('not-allowed', 'You may only do this for your own clients.')
}

export async function addAssignment(tx: Db, body: NewAssignment, policy: Policy, viewer: Viewer): Promise<{ id: number }> {
  needReach(viewer, body.target)
  const template = policy.templates.find((one) => one.id === body.templateId)
  if (!template) throw new ProblemError('not-found', 'There is no such template.')
  refuseFaults(Object.entries(body.values).flatMap(([key, values]) => {
    const watch = template.watches.find((one) => one.key === key)
    if (!watch) return [{ at: `values.${key}`, message: `“${template.name}” has no watch “${key}”.` }]
    return valueFaults(watch.kind, values).map((fault) => ({ at: `values.${key}.${fault.at}`, message: fault.message }))
  }))
  const id = await nextId(tx)
  await tx.query(`
    insert into assignment_revision (id, revision, template_id, target, rank, values, dormant, reason, created_at, saved_by)
    values ($1, 1, $2, $3, $4, $5, $6, $7, now(), $8)`,
    [id, body.templateId, JSON.stringify(body.target), body.rank, JSON.stringify(body.values), body.dormant, body.reason, viewer.id])
  await audit(tx, { personId: viewer.id, action: 'assigned', kind: 'template', id: body.templateId, detail: { assignment: id, target: body.target } })
  return { id }
}

export async function removeAssignment(tx: Db, id: number, viewer: Viewer): Promise<{ id: number }> {
  const done = await firstRow<{ id: number }>(tx, `
    insert into assignment_revision (id, revision, template_id, target, rank, values, dormant, reason, created_at, removed, saved_by)
    select id, revision + 1, template_id, target, rank, values, dormant, reason, created_at, true, $2 from assignment where id = $1 returning id`, [id, viewer.id])
  if (!done) throw new ProblemError('not-found')
  await audit(tx, { personId: viewer.id, action: 'removed', kind: 'assignment', id })
  return done
}

export async function addException(tx: Db, body: NewException, policy: Policy, viewer: Viewer): Promise<{ id: number }> {
  const kinds = new Set(policy.templates.flatMap((one) => one.watches).filter((watch) => watch.key === body.watch).map((watch) => watch.kind))
  if (!kinds.size) throw new ProblemError('not-found', `No template has a watch “${body.watch}”.`)
  if (!body.leftOut && Object.keys(body.values).length === 0) throw new ProblemError('invalid', 'An exception changes at least one value, or leaves the watch out.', [{ at: 'values', message: 'empty' }])
  const kind = [...kinds].find((name) => Object.keys(body.values).every((value) => watchKinds.get(name)?.parameters.some((one) => one.name === value)))
  refuseFaults(valueFaults(kind ?? [...kinds][0]!, body.values).map((fault) => ({ at: `values.${fault.at}`, message: fault.message })))
  const id = await nextId(tx)
  await tx.query(`
    insert into exception_revision (id, revision, target, watch, values, left_out, reason, created_at, saved_by) values ($1, 1, $2, $3, $4, $5, $6, now(), $7)`,
    [id, JSON.stringify(body.target), body.watch, JSON.stringify(body.values), body.leftOut, body.reason, viewer.id])
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'exception', id, detail: { ...body } })
  return { id }
}

export async function removeException(tx: Db, id: number, viewer: Viewer): Promise<{ id: number }> {
  const done = await firstRow<{ id: number }>(tx, `
    insert into exception_revision (id, revision, target, watch, values, left_out, reason, created_at, removed, saved_by)
    select id, revision + 1, target, watch, values, left_out, reason, created_at, true, $2 from exception where id = $1 returning id`, [id, viewer.id])
  if (!done) throw new ProblemError('not-found')
  await audit(tx, { personId: viewer.id, action: 'removed', kind: 'exception', id })
  return done
}
