import { credentialsSchema, madeSchema, newCredentialSchema, type CredentialView } from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { audit, requireClient, ofClients } from '../../access'
import type { Vault } from '../../../secrets/vault'

/** What a sealed secret is bound to: moved into another row it cannot be opened. */
const contextOf = (clientId: number, name: string) => `credential ${clientId} ${name.toLowerCase()}`

export interface OpenedCredential {
  id: number
  user: string
  password?: string
  privateKey?: string
}

/**
 * Opens credentials for use, in the order asked for; each use leaves a line. Those removed meanwhile are left out.
 */
export async function openCredentials(
  tx: Db,
  vault: Vault,
  ids: readonly number[],
  use: { clientId: number; by: number | null; detail: object },
): Promise<OpenedCredential[]> {
  const found = await rows<{
    id: number
    client_id: number
    name: string
    user_name: string
    kind: string
    sealed: Buffer
  }>(
    tx,
    `
    select id, client_id, name, user_name, kind, sealed from credential
    where id = any($1) and client_id = $2 and removed_at is null order by array_position($1, id)`,
    [ids, use.clientId],
  )
  for (const row of found)
    await audit(tx, {
      personId: use.by,
      action: 'used',
      kind: 'credential',
      id: row.id,
      clientId: use.clientId,
      detail: use.detail,
    })
  return found.map((row) => {
    const secret = vault.open(row.sealed, contextOf(row.client_id, row.name))
    return {
      id: row.id,
      name: row.name,
      user: row.user_name,
      ...(row.kind === 'password' ? { password: secret } : { privateKey: secret }),
    }
  })
}

/** @throws ProblemError invalid when one of them is not for machines of this site */
export async function requireCredentials(
  tx: Db,
  ids: readonly number[],
  clientId: number,
  siteId: number,
): Promise<void> {
  const { usable } = (await firstRow<{ usable: number }>(
    tx,
    `select count(*)::int as usable from credential
     where id = any($1) and client_id = $2 and (site_id is null or site_id = $3) and removed_at is null`,
    [ids, clientId, siteId],
  ))!
  if (usable !== ids.length)
    throw new ProblemError('invalid', 'One of these sign-ins is not there, or not for this site.', [
      { at: 'credentialIds', message: 'not for this site' },
    ])
}

export function credentialRoutes(app: FastifyInstance, pool: Pool, vault: Vault): void {
  route(app, {
    method: 'POST',
    url: '/api/credentials',
    access: 'technician',
    summary: 'Store a sign-in for machines of a client; it never comes out again',
    answer: madeSchema,
    body: newCredentialSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        requireClient(viewer, body.clientId)
        if (!(await firstRow(tx, 'select from client where id = $1', [body.clientId])))
          throw new ProblemError('no-such-client')
        if (
          body.siteId !== null &&
          !(await firstRow(tx, 'select from site where id = $1 and client_id = $2', [body.siteId, body.clientId]))
        )
          throw new ProblemError('no-such-site', 'This client has no such site.')
        if (body.kind === 'private key' && !/-----BEGIN [A-Z ]*PRIVATE KEY-----/.test(body.secret))
          throw new ProblemError('invalid', 'This is no private key. Paste the whole file, from BEGIN to END.', [
            { at: 'secret', message: 'not a private key' },
          ])
        const row = await firstRow<{ id: number }>(
          tx,
          `
        insert into credential (client_id, site_id, name, user_name, kind, sealed, created_by)
        values ($1, $2, $3, $4, $5, $6, $7)
        on conflict (client_id, lower(name)) where removed_at is null do nothing returning id`,
          [
            body.clientId,
            body.siteId,
            body.name,
            body.userName,
            body.kind,
            vault.seal(body.secret, contextOf(body.clientId, body.name)),
            viewer.id,
          ],
        )
        if (!row)
          throw new ProblemError(
            'already-exists',
            'This client has a sign-in of this name already. Take that away first, or choose another name.',
          )
        await audit(tx, {
          personId: viewer.id,
          action: 'stored',
          kind: 'credential',
          id: row.id,
          clientId: body.clientId,
          detail: { name: body.name, userName: body.userName, kind: body.kind },
        })
        return row
      }),
  })
  route(app, {
    method: 'GET',
    url: '/api/credentials',
    access: 'technician',
    summary: 'Stored sign-ins, by name, without their secrets',
    answer: credentialsSchema,
    handle: ({ viewer }) =>
      rows<CredentialView>(
        pool,
        `
      select k.id, k.client_id as "clientId", c.name as "clientName", k.site_id as "siteId", s.name as "siteName",
      k.name, k.user_name as "userName", k.kind, k.created_at as "createdAt", coalesce(p.name, '') as "createdBy",
             (select max(a.at) from audit a
             where a.object_kind = 'credential' and a.object_id = k.id and a.action = 'used') as "usedAt"
      from credential k join client c on c.id = k.client_id left join site s on s.id = k.site_id left
      join person p on p.id = k.created_by
      where k.removed_at is null and ${ofClients('k.client_id', 1)} order by c.name, k.name limit 2000`,
        [viewer.clientIds],
      ),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/credentials/:id',
    access: 'technician',
    summary: 'Take a sign-in away; its secret is destroyed',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ id: number; client_id: number }>(
          tx,
          `
        update credential set removed_at = now(), sealed = ''
        where id = $1 and removed_at is null and ${ofClients('client_id', 2)} returning id, client_id`,
          [id(), viewer.clientIds],
        )
        if (!row) throw new ProblemError('no-such-sign-in')
        await audit(tx, {
          personId: viewer.id,
          action: 'took away',
          kind: 'credential',
          id: row.id,
          clientId: row.client_id,
        })
        return { id: row.id }
      }),
  })
}
