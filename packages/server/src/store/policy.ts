import {
  compilePolicy,
  type Assignment,
  type CompiledPolicy,
  type Exception,
  type Millis,
  type Policy,
  type Target,
  type Template,
  type Values,
  type WatchSpec,
} from '#core'
import { firstRow, rows, time, type Db } from '../db'

interface TemplateRow {
  id: number
  revision: number
  name: string
  description: string
  includes: number[]
  watches: WatchSpec[]
}
interface AssignmentRow {
  id: number
  revision: number
  template_id: number
  target: Target
  rank: number
  values: Record<string, Values>
  dormant: boolean
  reason: string
  review_at: number | null
  created_at: number
}
interface ExceptionRow {
  id: number
  revision: number
  target: Target
  watch: string
  values: Values
  left_out: boolean
  reason: string
  owner_id: number | null
  review_at: number | null
  created_at: number
}

export interface PolicyInForce extends Policy {
  version: number
  compiled: CompiledPolicy
}

let cached: PolicyInForce | null = null
/** What the transaction of a change on this connection has made: in force for nobody else yet. */
const changedOn = new WeakMap<Db, PolicyInForce>()

/** The newest revisions, or those that were the newest at a time, of what was not removed. */
const revisions = (of: 'template' | 'assignment' | 'exception') =>
  `(select * from (select distinct on (id) * from ${of}_revision where $1::timestamptz is null or saved_at <= $1
    order by id, revision desc) newest where not removed) ${of}`

/** @param at as of when; null: now */
async function readPolicy(db: Db, version: number, at: Millis | null = null): Promise<PolicyInForce> {
  const asOf = [time(at)]
  const templates = await rows<TemplateRow>(
    db,
    `select id, revision, name, description, includes, watches from ${revisions('template')} order by id limit 5000`,
    asOf,
  )
  const assignments = await rows<AssignmentRow>(
    db,
    `select id, revision, template_id, target, rank, values, dormant, reason, review_at, created_at
     from ${revisions('assignment')} order by id limit 10000`,
    asOf,
  )
  const exceptions = await rows<ExceptionRow>(
    db,
    `select id, revision, target, watch, values, left_out, reason, owner_id, review_at, created_at
     from ${revisions('exception')} order by id limit 50000`,
    asOf,
  )
  const policy: Policy = {
    templates: templates.map((row): Template => ({ ...row })),
    assignments: assignments.map(({ template_id, review_at, created_at, ...row }): Assignment => ({
      ...row,
      templateId: template_id,
      reviewAt: review_at,
      createdAt: created_at,
    })),
    exceptions: exceptions.map(({ left_out, owner_id, review_at, created_at, ...row }): Exception => ({
      ...row,
      leftOut: left_out,
      ownerId: owner_id,
      reviewAt: review_at,
      createdAt: created_at,
    })),
  }
  return { ...policy, version, compiled: compilePolicy(policy) }
}

const versionNow = async (db: Db) =>
  (await firstRow<{ version: number }>(db, 'select version from policy_mark'))!.version

/**
 * The policy in force. Kept between calls for as long as its number in the database stays the same. It is read in
 * several statements: one that was changed meanwhile is read again, so that two policies never mix.
 */
export async function policyInForce(db: Db): Promise<PolicyInForce> {
  for (let version = await versionNow(db); ;) {
    const known = cached?.version === version ? cached : changedOn.get(db)
    // A number is never given twice, also not after a rollback.
    if (known?.version === version) return known
    const policy = await readPolicy(db, version)
    const after = await versionNow(db)
    if (after === version) return (cached = policy)
    version = after
  }
}

/** Inside the transaction of a change: sees its own uncommitted rows, and leaves the cache of all others alone. */
export async function policyAsChanged(tx: Db): Promise<PolicyInForce> {
  const { version } = (await firstRow<{ version: number }>(
    tx,
    `update policy_mark set version = nextval('policy_version') returning version`,
  ))!
  const policy = await readPolicy(tx, version)
  changedOn.set(tx, policy)
  return policy
}

/** The policy as it was in force at a time, which is that of now where nothing was changed since. */
export async function policyAsOf(db: Db, at: Millis): Promise<PolicyInForce> {
  const later = await firstRow(
    db,
    `select from template_revision where saved_at > $1 union all select from assignment_revision where saved_at > $1
     union all select from exception_revision where saved_at > $1 limit 1`,
    [time(at)],
  )
  return later ? readPolicy(db, 0, at) : policyInForce(db)
}

/** Every target that a policy tries. */
export function targetsOf({ assignments, exceptions }: Policy): Target[] {
  return [...assignments, ...exceptions].map((assignment) => assignment.target)
}
