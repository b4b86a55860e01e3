import type { CollectRule, OptionalCollector, Target } from '#core'
import { rows, type Db } from '../db'

export interface CollectRuleRow {
  id: number
  target: Target
  logs: string[]
  collectors: OptionalCollector[]
  reason: string
  created_at: number
  created_by: string | null
}

/** The rules in force, the newest first. */
export function collectRuleRows(db: Db): Promise<CollectRuleRow[]> {
  return rows<CollectRuleRow>(
    db,
    `
    select r.id, r.target, r.logs, r.collectors, r.reason, r.created_at, p.name as created_by from collect_rule r left
    join person p on p.id = r.created_by
    where r.removed_at is null order by r.id desc limit 5000`,
  )
}

let cached: { version: number; rules: CollectRule[] } | null = null

/** The rules in force; they change with the policy's version, and are kept for as long as that stays. */
export async function collectRules(db: Db, version: number): Promise<CollectRule[]> {
  if (cached?.version !== version)
    cached = {
      version,
      rules: (await collectRuleRows(db)).map(({ id, target, logs, collectors }) => ({ id, target, logs, collectors })),
    }
  return cached.rules
}
