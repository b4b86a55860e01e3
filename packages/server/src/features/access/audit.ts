import type { AuditKind } from '#contract'
import type { ClientId } from '#core'
import type { Db } from '../../db'
import { asked } from '../../http/asked'

export interface AuditEntry {
  personId: number | null
  action: string
  kind: AuditKind
  id: number | null
  clientId?: ClientId | null
  detail?: unknown
}

/** What a program did in somebody's name says by which token. */
function byWhat(detail: unknown): unknown {
  const token = asked.getStore()?.token
  return token === undefined ? detail : { ...(detail as object), byToken: token }
}

/** Everything a person changes leaves a line, in the transaction that changes it. */
export async function audit(
  tx: Db,
  { personId, action, kind, id, clientId = null, detail = {} }: AuditEntry,
): Promise<void> {
  await tx.query(
    `insert into audit (person_id, action, object_kind, object_id, client_id, detail, address)
     values ($1, $2, $3, $4, $5, $6, $7)`,
    [personId, action, kind, id, clientId, JSON.stringify(byWhat(detail)), asked.getStore()?.address ?? null],
  )
}

/** Several at once, in one statement. */
export async function auditAll(tx: Db, entries: readonly AuditEntry[]): Promise<void> {
  await tx.query(
    `insert into audit (person_id, action, object_kind, object_id, client_id, detail, address)
     select u.*, $7::inet from unnest($1::int[], $2::text[], $3::text[], $4::bigint[], $5::int[], $6::jsonb[]) u`,
    [
      entries.map(({ personId }) => personId),
      entries.map(({ action }) => action),
      entries.map(({ kind }) => kind),
      entries.map(({ id }) => id),
      entries.map(({ clientId }) => clientId ?? null),
      entries.map(({ detail }) => JSON.stringify(byWhat(detail ?? {}))),
      asked.getStore()?.address ?? null,
    ],
  )
}
