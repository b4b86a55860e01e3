import {
  madeSchema,
  newPasswordSchema,
  newPersonSchema,
  ownPasswordSchema,
  passwordChangedSchema,
  peopleSchema,
  personChangeSchema,
  type AccessLevel,
  type NewPerson,
  type PersonChange,
  type PersonListed,
} from '#contract'
import type { ClientId } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Viewer } from '../../http/viewer'
import { announce } from '../../live/announce'
import { audit } from './audit'
import { forgetAttempt, noteAttempt, tried } from './attempts'
import { sessionToken } from './cookie'
import { requireGoodPassword } from './housePolicy'
import { noPassword } from './noPassword'
import { hashPassword, verifyPassword } from '../../secrets/password'
import { digest } from '../../secrets/secret'

/** @throws ProblemError already-exists */
/** @param person without a password nobody signs in as them before they have chosen one */
export async function addPerson(db: Db, person: NewPerson): Promise<number> {
  const row = await firstRow<{ id: number }>(
    db,
    `
    insert into person (email, name, password_hash, access, client_ids) values ($1, $2, $3, $4, $5)
    on conflict (lower(email)) do nothing returning id`,
    [
      person.email,
      person.name,
      person.password === undefined ? noPassword : await hashPassword(person.password),
      person.access,
      person.clientIds,
    ],
  )
  if (!row) throw new ProblemError('already-exists', 'A person with this e-mail address is there already.')
  return row.id
}

interface PersonRow {
  id: number
  name: string
  access: AccessLevel
  client_ids: ClientId[] | null
  deactivated_at: number | null
  password_hash: string
}

/** Whether all that one may see, the other may see as well. */
const within = (clientIds: readonly ClientId[] | null, of: readonly ClientId[] | null) =>
  of === null || (clientIds !== null && clientIds.every((id) => of.includes(id)))

/**
 * One change of people at a time, by somebody who still may: rights may have gone while the request waited, and two
 * leads who take the other's at once must not both succeed. Nobody changes their own: so there is always one left.
 * @throws ProblemError not-allowed
 */
export async function requireStillLead(tx: Db, viewer: Viewer): Promise<void> {
  await tx.query('select pg_advisory_xact_lock(3)')
  const still = await firstRow(
    tx,
    `select from person where id = $1 and access = 'lead' and client_ids is not distinct
     from $2::int[] and deactivated_at is null`,
    [viewer.id, viewer.clientIds],
  )
  if (!still) throw new ProblemError('not-allowed')
}

/** A person, locked. @throws ProblemError not-found also for one who sees more clients than the viewer does */
export async function takePerson(tx: Db, viewer: Viewer, id: number): Promise<PersonRow> {
  const person = await firstRow<PersonRow>(
    tx,
    'select id, name, access, client_ids, deactivated_at, password_hash from person where id = $1 for update',
    [id],
  )
  if (!person || !within(person.client_ids, viewer.clientIds)) throw new ProblemError('no-such-person')
  return person
}

/** @throws ProblemError where the viewer cannot give away so much, or nothing would be given */
async function requireGrant(
  tx: Db,
  viewer: Viewer,
  access: AccessLevel,
  clientIds: readonly ClientId[] | null,
): Promise<void> {
  if (access === 'contact' && clientIds === null)
    throw new ProblemError('invalid', 'A client contact needs at least one client.', [
      { at: 'clientIds', message: 'choose at least one client' },
    ])
  if (!within(clientIds, viewer.clientIds))
    throw new ProblemError('not-allowed', 'You can let people see your own clients only. Choose among these.')
  const known = await rows<{ id: ClientId }>(tx, 'select id from client where id = any($1)', [clientIds ?? []])
  if (clientIds && known.length !== clientIds.length)
    throw new ProblemError('invalid', 'One of these clients is not there.', [
      { at: 'clientIds', message: 'unknown client' },
    ])
}

/** Ends what somebody is signed in with, and the connections that tell them of changes. */
export async function endSessions(tx: Db, id: number, except: Buffer | null = null): Promise<void> {
  await tx.query('delete from session where person_id = $1 and token_digest is distinct from $2', [id, except])
  announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
}

async function change(tx: Db, viewer: Viewer, id: number, body: PersonChange): Promise<{ id: number }> {
  await requireStillLead(tx, viewer)
  const person = await takePerson(tx, viewer, id)
  if (id === viewer.id && ['access', 'clientIds', 'active'].some((name) => name in body))
    throw new ProblemError('not-allowed', 'Your own rights are changed by another lead.')
  const access = body.access ?? person.access
  const clientIds = body.clientIds === undefined ? person.client_ids : body.clientIds
  await requireGrant(tx, viewer, access, clientIds)
  await tx.query(
    `
    update person set name = coalesce($2, name), access = $3, client_ids = $4,
      deactivated_at = case when $5::boolean is null then deactivated_at when $5 then null
      else coalesce(deactivated_at, now()) end
    where id = $1`,
    [id, body.name ?? null, access, clientIds, body.active ?? null],
  )
  if (
    access !== person.access ||
    JSON.stringify(clientIds) !== JSON.stringify(person.client_ids) ||
    body.active === false
  )
    await endSessions(tx, id)
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'person',
    id,
    detail: {
      ...body,
      was: {
        name: person.name,
        access: person.access,
        clientIds: person.client_ids,
        active: person.deactivated_at === null,
      },
    },
  })
  return { id }
}

export function peopleRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/people',
    access: 'technician',
    summary: 'People of the service company; for a lead, the contacts of clients as well',
    answer: peopleSchema,
    handle: ({ viewer }) =>
      rows<PersonListed>(
        pool,
        `
      select id, name, email, access, client_ids as "clientIds", deactivated_at as "deactivatedAt",
        case when $2 then exists (select from second_factor f where f.person_id = person.id and confirmed_at is not null) end
          as "hasSecondFactor"
      from person
      where ($1::int[] is null or client_ids is null or client_ids && $1)
      and (access <> 'contact' or $2 and ($1::int[] is null or client_ids <@ $1)) order by name, id limit 5000`,
        [viewer.clientIds, viewer.access === 'lead'],
      ).then((found) =>
        found.map((row) =>
          viewer.clientIds && row.clientIds
            ? { ...row, clientIds: row.clientIds.filter((id) => viewer.clientIds!.includes(id)) }
            : row,
        ),
      ),
  })

  route(app, {
    method: 'POST',
    url: '/api/people',
    access: 'lead',
    summary: 'Add a person, who is sent a link to choose a password by, unless they are given one',
    answer: madeSchema,
    body: newPersonSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        await requireStillLead(tx, viewer)
        await requireGrant(tx, viewer, body.access, body.clientIds)
        if (body.password !== undefined) await requireGoodPassword(tx, body.password)
        const id = await addPerson(tx, body)
        await audit(tx, {
          personId: viewer.id,
          action: 'added',
          kind: 'person',
          id,
          detail: { email: body.email, access: body.access, clientIds: body.clientIds },
        })
        announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
        return { id }
      }),
  })

  route(app, {
    method: 'PUT',
    url: '/api/people/:id',
    access: 'lead',
    summary:
      'Rename a person, change what they may do and see, deactivate them or let them in again; their sessions end',
    answer: madeSchema,
    body: personChangeSchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => change(tx, viewer, id(), body)),
  })

  route(app, {
    method: 'POST',
    url: '/api/people/:id/password',
    access: 'lead',
    summary: 'Give a person a new password; their sessions end',
    answer: passwordChangedSchema,
    body: newPasswordSchema,
    async handle({ body, viewer, id }) {
      await requireGoodPassword(pool, body.password)
      const hash = await hashPassword(body.password)
      return inTransaction(pool, async (tx) => {
        await requireStillLead(tx, viewer)
        const person = await takePerson(tx, viewer, id())
        if (person.id === viewer.id)
          throw new ProblemError('not-allowed', 'Your own password is changed with the one you have now.')
        await tx.query('update person set password_hash = $2 where id = $1', [person.id, hash])
        await endSessions(tx, person.id)
        await audit(tx, { personId: viewer.id, action: 'gave a new password to', kind: 'person', id: person.id })
        return { changed: true }
      })
    },
  })

  route(app, {
    method: 'PUT',
    url: '/api/session/password',
    access: 'contact',
    summary: 'Change one’s own password; one’s other sessions end',
    answer: passwordChangedSchema,
    body: ownPasswordSchema,
    async handle({ body, viewer, request }) {
      // Somebody at an open browser guesses no faster here than at the sign-in.
      const attempt = await noteAttempt(pool, viewer.email, request.ip)
      const { password_hash: before } = (await firstRow<{ password_hash: string }>(
        pool,
        'select password_hash from person where id = $1',
        [viewer.id],
      ))!
      if (!(await tried(pool, attempt, verifyPassword(body.current, before))))
        throw new ProblemError('invalid', 'This is not your password as it is now.', [
          { at: 'current', message: 'wrong' },
        ])
      await requireGoodPassword(pool, body.password)
      const hash = await hashPassword(body.password)
      return inTransaction(pool, async (tx) => {
        const changed = await firstRow(
          tx,
          'update person set password_hash = $2 where id = $1 and password_hash = $3 returning id',
          [viewer.id, hash, before],
        )
        if (!changed)
          throw new ProblemError('changed-meanwhile', 'Your password was changed meanwhile. Sign in with the new one.')
        await forgetAttempt(tx, attempt)
        await endSessions(tx, viewer.id, digest(sessionToken(request) ?? ''))
        await audit(tx, { personId: viewer.id, action: 'changed the own password of', kind: 'person', id: viewer.id })
        return { changed: true }
      })
    },
  })
}
