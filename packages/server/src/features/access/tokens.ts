import {
  madeSchema,
  madeTokenSchema,
  newTokenSchema,
  tokensSchema,
  type AccessLevel,
  type TokenListed,
  type TokenScope,
} from '#contract'
import { day, minute, type ClientId } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Viewer } from '../../http/viewer'
import { digest, makeSecret } from '../../secrets/secret'
import { audit } from './audit'
import { mayChangeAll, ofClients } from './viewer'

/** By it those who look for secrets in files know one of ours. */
const prefix = 'custode_'

/** The token that a request comes with, if it comes with one. */
export function programToken(authorization: string | undefined): string | null {
  return /^Bearer (custode_[\w-]{20,100})$/.exec(authorization ?? '')?.[1] ?? null
}

/** What no token opens: who may do what, how the house tells people, and the end of a client. */
const closed =
  /^\/api\/((people|house-policy|tokens|sessions?|second-factor|ways|webhooks|inbox|live)(\/|$)|clients\/:id\/(retire|restore|merge|data|delete)$)/
const planning = /^\/api\/(windows|occurrences|calendar)(\/|$)/
const reads = new Set(['GET', 'HEAD'])

/**
 * Whether a program with a scope may call a route. @param url of the route, with its parameters as they are declared
 */
export function isOpenTo(scope: TokenScope, method: string, url: string): boolean {
  if (closed.test(url)) return false
  if (scope === 'report-in') return method === 'POST' && url === '/api/requests'
  if (scope === 'all' || reads.has(method)) return true
  return scope === 'maintenance' && planning.test(url)
}

export interface TokenViewer extends Viewer {
  token: { name: string; scope: TokenScope }
}

interface Row {
  token_id: number
  token_name: string
  scope: TokenScope
  token_client_ids: ClientId[] | null
  used_at: number | null
  id: number
  name: string
  email: string
  access: AccessLevel
  client_ids: ClientId[] | null
  looked_at: number
}

/** A token is noted as used so often, at most. */
const usedWithin = minute

/**
 * Whose name a token speaks in, with no more than both may: the person as they are today, and the token. null: it is
 * unknown, revoked or expired, or its person was deactivated.
 */
export async function tokenViewer(db: Db, token: string, address: string): Promise<TokenViewer | null> {
  const row = await firstRow<Row>(
    db,
    `
    select t.id as token_id, t.name as token_name, t.scope, t.client_ids as token_client_ids, t.used_at, p.id, p.name,
      p.email, p.access, p.client_ids, p.looked_at
    from token t join person p on p.id = t.person_id
    where t.digest = $1 and t.revoked_at is null and t.expires_at > now() and p.deactivated_at is null
      and p.access <> 'contact'`,
    [digest(token)],
  )
  if (!row) return null
  if (row.used_at === null || Date.now() - row.used_at > usedWithin)
    await db.query('update token set used_at = now(), used_from = $2 where id = $1', [row.token_id, address])
  return {
    id: row.id,
    name: row.name,
    email: row.email,
    access: row.scope === 'all' ? row.access : 'technician',
    clientIds: both(row.client_ids, row.token_client_ids),
    lookedAt: row.looked_at,
    isFactorDue: false,
    token: { name: row.token_name, scope: row.scope },
  }
}

function both(one: ClientId[] | null, other: ClientId[] | null): ClientId[] | null {
  if (one === null || other === null) return one ?? other
  return one.filter((id) => other.includes(id))
}

const seesAll = (viewer: Viewer) => viewer.access === 'lead' && mayChangeAll(viewer)

export function tokenRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/tokens',
    access: 'technician',
    summary: 'Tokens of programs in one’s own name; for a lead of all clients everybody’s',
    answer: tokensSchema,
    handle: ({ viewer }) =>
      rows<TokenListed>(
        pool,
        `
        select t.id, t.name, p.name as person, t.scope, t.client_ids as "clientIds", t.created_at as "createdAt",
          t.expires_at as "expiresAt", t.used_at as "usedAt", host(t.used_from) as "usedFrom"
        from token t join person p on p.id = t.person_id
        where t.revoked_at is null and t.expires_at > now() and (t.person_id = $1 or $2) order by t.id limit 1000`,
        [viewer.id, seesAll(viewer)],
      ),
  })
  route(app, {
    method: 'POST',
    url: '/api/tokens',
    access: 'technician',
    summary: 'Make a token for a program, with less than one may oneself; it is told once',
    answer: madeTokenSchema,
    body: newTokenSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        const mine = await rows<{ id: number }>(
          tx,
          `select id from client where id = any($1) and ${ofClients('id', 2)}`,
          [body.clientIds ?? [], viewer.clientIds],
        )
        if (body.clientIds && mine.length < body.clientIds.length) throw new ProblemError('no-such-client')
        const token = prefix + makeSecret()
        const row = await firstRow<{ id: number }>(
          tx,
          `insert into token (name, digest, person_id, scope, client_ids, expires_at) values ($1, $2, $3, $4, $5, $6)
           returning id`,
          [body.name, digest(token), viewer.id, body.scope, body.clientIds, time(Date.now() + body.days * day)],
        )
        await audit(tx, { personId: viewer.id, action: 'made', kind: 'token', id: row!.id, detail: body })
        return { id: row!.id, token }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/tokens/:id',
    access: 'technician',
    summary: 'Revoke a token: one’s own, or any by a lead of all clients',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ id: number; name: string }>(
          tx,
          `update token set revoked_at = now() where id = $1 and revoked_at is null and (person_id = $2 or $3)
           returning id, name`,
          [id(), viewer.id, seesAll(viewer)],
        )
        if (!row) throw new ProblemError('no-such-token')
        await audit(tx, {
          personId: viewer.id,
          action: 'revoked',
          kind: 'token',
          id: row.id,
          detail: { name: row.name },
        })
        return { id: row.id }
      }),
  })
}
