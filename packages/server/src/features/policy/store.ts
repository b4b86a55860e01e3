import type { Assignment, Exception, Policy, Target, Template, Values, WatchSpec } from '#core'
import { firstRow, rows, type Db } from '../../db'

interface TemplateRow { id: number; revision: number; name: string; description: string; watches: WatchSpec[] }
interface AssignmentRow { id: number; template_id: number; target: Target; rank: number; values: Record<string, Values>; dormant: boolean; reason: string; created_at: number }
interface ExceptionRow { id: number; target: Target; watch: string; values: Values; left_out: boolean; reason: string; created_at: number }

export interface PolicyInForce extends Policy { version: number }

let cached: PolicyInForce | null = null

async function readPolicy(db: Db, version: number): Promise<PolicyInForce> {
  const templates = await rows<TemplateRow>(db, 'select id, revision, name, description, watches from template order by id limit 2000')
  const assignments = await rows<AssignmentRow>(db, 'select id, template_id, target, rank, values, dormant, reason, created_at from assignment order by id limit 5000')
  const exceptions = await rows<ExceptionRow>(db, 'select id, target, watch, values, left_out, reason, created_at from exception order by id limit 20000')
  return {
    version,
    templates: templates.map((row): Template => ({ ...row })),
    assignments: assignments.map((row): Assignment => ({ id: row.id, templateId: row.template_id, target: row.target, rank: row.rank, values: row.values, dormant: row.dormant, reason: row.reason, createdAt: row.created_at })),
    exceptions: exceptions.map((row): Exception => ({ id: row.id, target: row.target, watch: row.watch, values: row.values, leftOut: row.left_out, reason: row.reason, createdAt: row.created_at })),
  }
}

/** The policy in force. Kept between calls for as long as its number in the database stays the same. */
export async function policyInForce(db: Db): Promise<PolicyInForce> {
  const { version } = (await firstRow<{ version: number }>(db, 'select version from policy_mark'))!
  if (cached?.version !== version) cached = await readPolicy(db, version)
  return cached
}

/** Inside the transaction of a change: sees its own uncommitted rows and leaves the cache alone. */
export async function policyAsChanged(tx: Db): Promise<PolicyInForce> {
  const { version } = (await firstRow<{ version: number }>(tx, `update policy_mark set version = nextval('policy_version') returning version`))!
  return readPolicy(tx, version)
}
