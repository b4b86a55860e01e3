import {
  forgottenHeardSchema,
  forgottenSchema,
  invitationLookSchema,
  invitationSeenSchema,
  invitationTakenSchema,
  invitedSchema,
  signedInSchema,
  type Invited,
} from '#contract'
import { day, hour } from '#core'
import { randomUUID } from 'node:crypto'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, time, type Db, type Pool } from '../../db'
import { MailLine, readMailSettings, type Sending } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { hashPassword } from '../../secrets/password'
import { digest, makeSecret } from '../../secrets/secret'
import { audit } from './audit'
import { forgetAttempt, noteAttempt } from './attempts'
import { housePolicy, requireGoodPassword } from './housePolicy'
import { noPassword } from './noPassword'
import { endSessions, requireStillLead, takePerson } from './people'

/** How long a link stands: over a weekend for somebody new, a little while for somebody who waits for it. */
const standsFor = { new: 4 * day, reset: 2 * hour }

interface Link {
  personId: number
  email: string
  name: string
  secret: string
  isNew: boolean
}

/** A link for somebody to choose a password by; one that was made before counts no longer. */
async function makeLink(tx: Db, personId: number): Promise<Link> {
  const person = (await firstRow<{ email: string; name: string; is_new: boolean }>(
    tx,
    'select email, name, password_hash = $2 as is_new from person where id = $1',
    [personId, noPassword],
  ))!
  const secret = makeSecret()
  await tx.query('delete from invitation where person_id = $1 or expires_at < now()', [personId])
  await tx.query('insert into invitation (digest, person_id, is_new, expires_at) values ($1, $2, $3, $4)', [
    digest(secret),
    personId,
    person.is_new,
    time(Date.now() + (person.is_new ? standsFor.new : standsFor.reset)),
  ])
  return { personId, email: person.email, name: person.name, secret, isNew: person.is_new }
}

/** Sends the link to whom it is for. It is written down nowhere; where it cannot leave, whoever asked has it. */
async function send(pool: Pool, { vault, origin }: Sending, link: Link): Promise<Invited> {
  const address = `${origin}/invitation#${link.secret}`
  const settings = await readMailSettings(pool, vault)
  if (!settings) return { id: link.personId, isSent: false, link: address, answer: 'Nobody has said how mail leaves.' }
  const line = new MailLine(settings)
  const until = link.isNew ? 'four days' : 'two hours'
  try {
    const { is, answer } = await line.send({
      id: randomUUID(),
      to: link.email,
      host: new URL(origin).hostname,
      mail: {
        subject: link.isNew ? 'Your invitation to Custode' : 'A new password for Custode',
        text: [
          `${link.name},`,
          '',
          link.isNew
            ? `you are invited to Custode at ${origin}. Choose your password by this link:`
            : `somebody asked for a new password for your account at ${origin}. Choose it by this link:`,
          '',
          address,
          '',
          `It works once, within ${until}. ${link.isNew ? '' : 'If it was not you, leave it: nothing has changed.'}`,
        ].join('\n'),
        html: '',
        references: [],
      },
    })
    return is === 'sent'
      ? { id: link.personId, isSent: true, link: null, answer }
      : { id: link.personId, isSent: false, link: address, answer }
  } finally {
    line.close()
  }
}

interface Standing {
  person_id: number
  name: string
  email: string
  is_new: boolean
}

/** @throws ProblemError invitation-refused */
async function requireLink(db: Db, secret: string, isTaken: boolean): Promise<Standing> {
  const link = await firstRow<Standing>(
    db,
    `${isTaken ? 'delete from invitation i using person p' : 'select i.person_id, p.name, p.email, i.is_new from invitation i join person p on true'}
     where p.id = i.person_id and i.digest = $1 and i.expires_at > now() and p.deactivated_at is null
     ${isTaken ? 'returning i.person_id, p.name, p.email, i.is_new' : ''}`,
    [digest(secret)],
  )
  if (!link) throw new ProblemError('invitation-refused')
  return link
}

export function invitationRoutes(app: FastifyInstance, pool: Pool, sending: Sending): void {
  route(app, {
    method: 'POST',
    url: '/api/people/:id/invitation',
    access: 'lead',
    summary: 'Send a person a link to choose a password by; where no mail leaves, the link is the answer',
    answer: invitedSchema,
    async handle({ viewer, id }) {
      const link = await inTransaction(pool, async (tx) => {
        await requireStillLead(tx, viewer)
        const person = await takePerson(tx, viewer, id())
        if (person.deactivated_at !== null)
          throw new ProblemError('invalid', 'This person is deactivated. Let them in again first.')
        if (await firstRow(tx, 'select from person where id = $1 and is_of_provider', [person.id]))
          throw new ProblemError('invalid', 'This person signs in by the identity provider, and has no password here.')
        await audit(tx, { personId: viewer.id, action: 'sent a link to', kind: 'person', id: person.id })
        return makeLink(tx, person.id)
      })
      return send(pool, sending, link)
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/session/forgotten',
    access: 'public',
    summary: 'Ask for a link to choose another password; the answer does not tell whether there is such a person',
    answer: forgottenHeardSchema,
    body: forgottenSchema,
    async handle({ body, request }) {
      // As many as attempts to sign in, and they count together.
      await noteAttempt(pool, body.email, request.ip)
      const link = await inTransaction(pool, async (tx) => {
        const person = await firstRow<{ id: number }>(
          tx,
          // Who comes by the identity provider has no password here: it would outlast what the provider says of them.
          'select id from person where lower(email) = lower($1) and deactivated_at is null and not is_of_provider',
          [body.email],
        )
        if (!person) return null
        await audit(tx, { personId: null, action: 'was asked for a link by', kind: 'person', id: person.id })
        return makeLink(tx, person.id)
      })
      // Nobody waits for it, so that how long it takes tells nothing. What does not leave, a lead sends.
      if (link)
        void send(pool, sending, link).catch((error: unknown) => {
          request.log.error({ err: error }, 'a link to choose a password could not be sent')
        })
      return { heard: true }
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/invitations/look',
    access: 'public',
    summary: 'Whose link it is',
    answer: invitationSeenSchema,
    body: invitationLookSchema,
    async handle({ body }) {
      const { name, email, is_new } = await requireLink(pool, body.secret, false)
      const { passwordLength } = await housePolicy(pool)
      return { name, email, isNew: is_new, passwordLength }
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/invitations/take',
    access: 'public',
    summary: 'Choose a password by a link: it works once, and ends all sessions',
    answer: signedInSchema,
    body: invitationTakenSchema,
    async handle({ body, request }) {
      // What is refused for its password leaves the link as it is.
      const seen = await requireLink(pool, body.secret, false)
      await requireGoodPassword(pool, body.password)
      const attempt = await noteAttempt(pool, seen.email, request.ip)
      const hash = await hashPassword(body.password)
      await inTransaction(pool, async (tx) => {
        const { person_id } = await requireLink(tx, body.secret, true)
        await tx.query('update person set password_hash = $2 where id = $1', [person_id, hash])
        await endSessions(tx, person_id)
        await forgetAttempt(tx, attempt)
        await audit(tx, {
          personId: person_id,
          action: 'chose a password by a link for',
          kind: 'person',
          id: person_id,
        })
      })
      return { signedIn: false }
    },
  })
}
