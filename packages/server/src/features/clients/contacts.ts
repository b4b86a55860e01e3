import { contactBodySchema, madeSchema, type Contact, type ContactBody } from '#contract'
import type { ClientId } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, ofClients, requireClient, type Viewer } from '../access'

/** Whom one knows at a client; with what they may see, where they sign in. */
export function contactsOf(db: Db, clientId: ClientId): Promise<Contact[]> {
  return rows<Contact>(
    db,
    `select c.id, c.name, c.email, c.phone, c.note, p.access from contact c
     left join person p on c.email <> '' and lower(p.email) = lower(c.email) and p.deactivated_at is null
       and $1 = any(p.client_ids)
     where c.client_id = $1 order by lower(c.name), c.id`,
    [clientId],
  )
}

const most = 500

/** @throws ProblemError *already-exists*: mail from one address is of one person */
async function refuseTwice(tx: Db, clientId: ClientId, { email }: ContactBody, id: number): Promise<void> {
  const other =
    email &&
    (await firstRow(tx, 'select from contact where client_id = $1 and lower(email) = lower($2) and id <> $3', [
      clientId,
      email,
      id,
    ]))
  if (other) throw new ProblemError('already-exists', 'Somebody else of this client has this address already.')
}

async function take(tx: Db, viewer: Viewer, id: number): Promise<ContactBody & { clientId: ClientId }> {
  const contact = await firstRow<ContactBody & { clientId: ClientId }>(
    tx,
    `select client_id as "clientId", name, email, phone, note from contact
     where id = $1 and ${ofClients('client_id', 2)} for update`,
    [id, viewer.clientIds],
  )
  if (!contact) throw new ProblemError('no-such-contact')
  return contact
}

/** A contact is a part of its client, also in the trail. */
async function noted(tx: Db, viewer: Viewer, action: string, clientId: ClientId, detail: object): Promise<void> {
  await audit(tx, { personId: viewer.id, action, kind: 'contact', id: null, clientId, detail })
  announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
}

export function contactRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/contacts',
    access: 'technician',
    summary: 'Add somebody whom one knows at a client',
    answer: madeSchema,
    body: contactBodySchema,
    handle: ({ viewer, id, body }) =>
      inTransaction(pool, async (tx) => {
        requireClient(viewer, id())
        if (!(await firstRow(tx, 'select from client where id = $1 for update', [id()])))
          throw new ProblemError('no-such-client')
        await refuseTwice(tx, id(), body, 0)
        const row = await firstRow<{ id: number }>(
          tx,
          `insert into contact (client_id, name, email, phone, note) select $1, $2, $3, $4, $5
           where (select count(*) from contact where client_id = $1) < ${most} returning id`,
          [id(), body.name, body.email, body.phone, body.note],
        )
        if (!row) throw new ProblemError('invalid', `A client has at most ${most} contacts. Remove one first.`)
        await noted(tx, viewer, 'added', id(), body)
        return row
      }),
  })
  route(app, {
    method: 'PUT',
    url: '/api/contacts/:id',
    access: 'technician',
    summary: 'Change what is known of somebody at a client',
    answer: madeSchema,
    body: contactBodySchema,
    handle: ({ viewer, id, body }) =>
      inTransaction(pool, async (tx) => {
        const { clientId, ...was } = await take(tx, viewer, id())
        await refuseTwice(tx, clientId, body, id())
        await tx.query('update contact set name = $2, email = $3, phone = $4, note = $5 where id = $1', [
          id(),
          body.name,
          body.email,
          body.phone,
          body.note,
        ])
        await noted(tx, viewer, 'changed', clientId, { ...body, was })
        return { id: id() }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/contacts/:id',
    access: 'technician',
    summary: 'Forget somebody at a client; what they wrote stays',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const { clientId, ...was } = await take(tx, viewer, id())
        await tx.query('delete from contact where id = $1', [id()])
        await noted(tx, viewer, 'removed', clientId, was)
        return { id: id() }
      }),
  })
}
