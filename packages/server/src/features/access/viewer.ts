import type { AccessLevel } from '#contract'
import { minute, type ClientId } from '#core'
import { firstRow, type Db } from '../../db'
import { ProblemError, type AbsentCode } from '../../http/problems'
import type { Viewer } from '../../http/viewer'
import { digest } from '../../secrets/secret'
import { hasNoFactor, isFactorAsked } from './factorRule'

/** A session is noted as used so often, at most. */
const usedWithin = 5 * minute

interface ViewerRow {
  id: number
  name: string
  email: string
  access: AccessLevel
  client_ids: number[] | null
  looked_at: number
  used_at: number
  is_factor_due: boolean
}

export async function viewerOf(db: Db, token: string | undefined): Promise<Viewer | null> {
  if (!token) return null
  const row = await firstRow<ViewerRow>(
    db,
    `
    select p.id, p.name, p.email, p.access, p.client_ids, p.looked_at, s.used_at,
      not s.by_provider and ${isFactorAsked} and ${hasNoFactor} as is_factor_due
    from session s join person p on p.id = s.person_id cross join house_policy h
    where s.token_digest = $1 and s.expires_at > now() and p.deactivated_at is null`,
    [digest(token)],
  )
  if (row && Date.now() - row.used_at > usedWithin)
    await db.query(
      'update session set used_at = now() where token_digest = $1 and used_at < now() - make_interval(secs => $2)',
      [digest(token), usedWithin / 1000],
    )
  return (
    row && {
      id: row.id,
      name: row.name,
      email: row.email,
      access: row.access,
      clientIds: row.client_ids,
      lookedAt: row.looked_at,
      isFactorDue: row.is_factor_due,
    }
  )
}

/**
 * In SQL: whether a row is of a client that the viewer may see. Every statement about clients' things has it.
 * @param column with the client's number
 * @param parameter the number of the parameter that holds `Viewer.clientIds`
 */
export function ofClients(column: string, parameter: number): string {
  return `($${parameter}::int[] is null or ${column} = any($${parameter}))`
}

export function mayChangeAll(viewer: Viewer): boolean {
  return viewer.clientIds === null
}

/**
 * @param absent what is answered where the thing does not exist: whether another client has it is nobody's business, so
 * the answer is the same
 * @throws ProblemError
 */
export function requireClient(viewer: Viewer, clientId: ClientId, absent: AbsentCode = 'no-such-client'): void {
  if (viewer.clientIds !== null && !viewer.clientIds.includes(clientId)) throw new ProblemError(absent)
}
