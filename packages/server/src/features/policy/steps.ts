import { stepFaults, withSteps, type Fault, type PolicyStep } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { audit, type Viewer } from '../access'
import { isForeign, isWithin, readEstate, type Estate } from './names'
import type { PolicyInForce } from '../../store/policy'

/** @throws ProblemError not-allowed */
function requireSay(viewer: Viewer, step: PolicyStep, before: PolicyInForce, estate: Estate): void {
  const lead = viewer.access === 'lead'
  if (step.of === 'template') {
    if (!lead || viewer.clientIds !== null)
      throw new ProblemError(
        'not-allowed',
        'Templates are for every client; they are changed by a lead of all of them.',
      )
    return
  }
  if (!lead && step.of === 'assignment') throw new ProblemError('not-allowed', 'Templates are assigned by a lead.')
  const old = (step.of === 'assignment' ? before.assignments : before.exceptions).find((row) => row.id === step.id)
  // What names another client's things is not there for whoever may not see that client.
  if (old && viewer.clientIds !== null && isForeign(old.target, viewer.clientIds, estate))
    throw new ProblemError(`no-such-${step.of}`)
  for (const target of [step.to?.target, old?.target]) {
    if (!target) continue
    // A technician speaks for single devices; what reaches further is a lead's decision.
    if (!lead && target.on !== 'devices')
      throw new ProblemError('not-allowed', 'Exceptions for more than chosen devices are made by a lead.')
    if (viewer.clientIds !== null && !isWithin(target, viewer.clientIds, estate)) {
      if (target.on === 'devices') throw new ProblemError('no-such-device')
      throw new ProblemError('not-allowed', 'You may only do this for your own clients.')
    }
  }
}

/** Nobody's work is overwritten: what a step changes must be as it was when it was looked at. @throws ProblemError */
function requireCurrent(step: PolicyStep, before: PolicyInForce): void {
  if (step.id < 0) return
  const list: readonly { id: number; revision: number }[] = {
    template: before.templates,
    assignment: before.assignments,
    exception: before.exceptions,
  }[step.of]
  const now = list.find((row) => row.id === step.id)
  if (!now) throw new ProblemError(`no-such-${step.of}`)
  if (now.revision !== step.basedOn)
    throw new ProblemError(
      'changed-meanwhile',
      `You edited revision ${step.basedOn}, but revision ${now.revision} is in force now. Nothing was saved. Read it, then apply your change to it.`,
    )
}

/** Whether steps may be and make sense. @throws ProblemError */
export async function requireSteps(
  db: Db,
  before: PolicyInForce,
  steps: readonly PolicyStep[],
  viewer: Viewer,
): Promise<void> {
  const estate = await readEstate(db, null)
  for (const step of steps) {
    requireSay(viewer, step, before, estate)
    requireCurrent(step, before)
  }
  const people = new Set((await rows<{ id: number }>(db, 'select id from person limit 10000')).map((row) => row.id))
  const faults: Fault[] = [
    ...stepFaults(before, steps, estate),
    ...steps.flatMap((step, i) =>
      step.of === 'exception' && step.to && step.to.ownerId !== null && !people.has(step.to.ownerId)
        ? [{ at: `steps.${i}.ownerId`, message: 'There is no such person. Choose somebody who answers for it.' }]
        : [],
    ),
  ]
  // Of one step the fields are said as they are.
  const told = faults.map(({ at, message }) => ({
    at: steps.length === 1 ? at.replace(/^steps\.0\.?/, '') : at,
    message,
  }))
  const code = faults[0]?.code
  if (code && faults.every((fault) => fault.code === code)) throw new ProblemError(code, told[0]!.message, told)
  if (told.length) throw new ProblemError('invalid', told[0]!.message, told)
}

const nextId = async (tx: Db) =>
  (await firstRow<{ id: number }>(tx, `select nextval('policy_object_id')::int as id`))!.id

/**
 * Within a change of policy: writes steps as new revisions.
 * @returns their numbers, in their order
 */
export async function writeSteps(
  tx: Db,
  before: PolicyInForce,
  steps: readonly PolicyStep[],
  viewer: Viewer,
  now: number,
): Promise<number[]> {
  const numbers = new Map<number, number>()
  for (const step of steps) if (step.id < 0 && !numbers.has(step.id)) numbers.set(step.id, await nextId(tx))
  const numberOf = (id: number) => numbers.get(id) ?? id
  const after = withSteps(before, steps, now)
  for (const step of steps) {
    const id = numberOf(step.id)
    const revision = step.basedOn + 1
    const removed = step.to === null
    if (step.of === 'template') {
      const body = step.to ?? before.templates.find((template) => template.id === id)!
      await tx.query(
        `insert into template_revision (id, revision, name, description, includes, watches, note, removed, saved_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
        [
          id,
          revision,
          body.name.trim(),
          body.description,
          body.includes.map(numberOf),
          JSON.stringify(body.watches),
          step.note,
          removed,
          viewer.id,
        ],
      )
    } else if (step.of === 'assignment') {
      const body = (
        step.to
          ? after.assignments.find((assignment) => assignment.id === step.id)
          : before.assignments.find((assignment) => assignment.id === id)
      )!
      await tx.query(
        `
        insert into assignment_revision (id, revision, template_id, target, rank,
        values, dormant, reason, review_at, created_at, removed, saved_by)
        values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
        [
          id,
          revision,
          numberOf(body.templateId),
          JSON.stringify(body.target),
          body.rank,
          JSON.stringify(body.values),
          body.dormant,
          body.reason,
          body.reviewAt === null ? null : new Date(body.reviewAt),
          new Date(body.createdAt),
          removed,
          viewer.id,
        ],
      )
    } else {
      const body = (
        step.to
          ? after.exceptions.find((exception) => exception.id === step.id)
          : before.exceptions.find((exception) => exception.id === id)
      )!
      await tx.query(
        `
        insert into exception_revision (id, revision, target, watch,
        values, left_out, reason, owner_id, review_at, created_at, removed, saved_by)
        values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
        [
          id,
          revision,
          JSON.stringify(body.target),
          body.watch,
          JSON.stringify(body.values),
          body.leftOut,
          body.reason.trim(),
          body.ownerId,
          body.reviewAt === null ? null : new Date(body.reviewAt),
          new Date(body.createdAt),
          removed,
          viewer.id,
        ],
      )
    }
    await audit(tx, {
      personId: viewer.id,
      action: removed ? 'removed' : revision === 1 ? 'made' : 'changed',
      kind: step.of,
      id,
      detail: step.of === 'template' ? { revision, note: step.note } : { revision, ...step.to },
    })
  }
  return steps.map((step) => numberOf(step.id))
}
