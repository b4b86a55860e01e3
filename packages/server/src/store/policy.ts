import {
  compilePolicy,
  type Assignment,
  type CompiledPolicy,
  type Exception,
  type Policy,
  type Target,
  type Template,
  type Values,
  type WatchSpec,
} from '#core'
import { firstRow, rows, type Db } from '../db'

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

async function readPolicy(db: Db, version: number): Promise<PolicyInForce> {
  const templates = await rows<TemplateRow>(
    db,
    'select id, revision, name, description, includes, watches from template order by id limit 5000',
  )
  const assignments = await rows<AssignmentRow>(
    db,
    `select id, revision, template_id, target, rank, values, dormant, reason, review_at, created_at from assignment
     order by id limit 10000`,
  )
  const exceptions = await rows<ExceptionRow>(
    db,
    `select id, revision, target, watch, values, left_out, reason, owner_id, review_at, created_at from exception
     order by id limit 50000`,
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

/** Every target that a policy tries. */
export function targetsOf({ assignments, exceptions }: Policy): Target[] {
  return [...assignments, ...exceptions].map((assignment) => assignment.target)
}
