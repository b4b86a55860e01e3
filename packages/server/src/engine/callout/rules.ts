import type { CalloutRule, ClientId, Millis, Quiet } from '#core'
import { rows, type Db } from '../../db'

/** A rule as it is in force. */
export interface RuleInForce {
  id: number
  revision: number
  name: string
  rule: CalloutRule
  /** Since when it is as it is, and since when there is such a rule. */
  from: Millis
  since: Millis
  isPaused: boolean
  /** When somebody paused it. */
  pauses: Quiet[]
}

interface RevisionRow {
  id: number
  revision: number
  name: string
  client_id: ClientId | null
  rule: Omit<CalloutRule, 'clientId'>
  is_paused: boolean
  removed_at: Millis | null
  saved_at: Millis
}

/** Rules that are not removed, by name, each with its pauses. @param id only this one */
export async function rulesInForce(db: Db, id: number | null = null): Promise<RuleInForce[]> {
  const revisions = await rows<RevisionRow>(
    db,
    `select id, revision, name, client_id, rule, is_paused, removed_at, saved_at from callout_revision
     where $1::int is null or id = $1 order by id, revision`,
    [id],
  )
  const rules = new Map<number, RuleInForce>()
  for (const row of revisions) {
    const before = rules.get(row.id)
    const open = before?.pauses.at(-1)
    const pauses = before?.pauses ?? []
    if (row.is_paused && open?.until !== null) pauses.push({ because: 'paused', from: row.saved_at, until: null })
    if (!row.is_paused && open?.until === null) open.until = row.saved_at
    if (row.removed_at !== null) rules.delete(row.id)
    else
      rules.set(row.id, {
        id: row.id,
        revision: row.revision,
        name: row.name,
        rule: { ...row.rule, clientId: row.client_id },
        from: row.saved_at,
        since: before?.since ?? row.saved_at,
        isPaused: row.is_paused,
        pauses,
      })
  }
  return [...rules.values()].toSorted((a, b) => (a.name < b.name ? -1 : 1))
}
