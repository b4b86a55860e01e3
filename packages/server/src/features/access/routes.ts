import { madeSchema, newPersonSchema, peopleSchema, personSchema, signedInSchema, signInSchema, type NewPerson, type Person, type PersonListed } from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { audit } from './audit'
import { hashPassword, verifyPassword } from './password'
import { digest, makeSecret } from './secret'
import { sessionLength, type Viewer } from './viewer'

const cookie = { httpOnly: true, sameSite: 'strict', path: '/' } as const
const tries = { perAccount: 10, perAddress: 30 }

// Verified when there is no such person, so that the time taken does not tell whether there is.
const nobody = await hashPassword('nobody signs in with this')

function asPerson(viewer: Viewer): Person {
  return { id: viewer.id, email: viewer.email, name: viewer.name, access: viewer.access, clientIds: viewer.clientIds, lookedAt: viewer.lookedAt }
}

async function tooManyFailures(db: Db, email: string, address: string): Promise<boolean> {
  const row = await firstRow<{ by_email: number; by_address: number }>(db, `
    select count(*) filter (where email = lower($1)) as by_email, count(*) filter (where address = $2) as by_address
    from sign_in_failure where at > now() - interval '15 minutes'`, [email, address])
  return row!.by_email >= tries.perAccount || row!.by_address >= tries.perAddress
}

export async function addPerson(db: Db, person: NewPerson): Promise<number> {
  const row = await firstRow<{ id: number }>(db, `
    insert into person (email, name, password_hash, access, client_ids) values ($1, $2, $3, $4, $5)
    on conflict (lower(email)) do nothing returning id`,
    [person.email, person.name, await hashPassword(person.password), person.access, person.clientIds])
  if (!row) throw new ProblemError('already-exists', 'A person with this e-mail address is there already.')
  return row.id
}

export function accessRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'POST', url: '/api/session', access: 'public', summary: 'Sign in', answer: signedInSchema, body: signInSchema,
    async handle({ body, request, reply }) {
      if (await tooManyFailures(pool, body.email, request.ip)) throw new ProblemError('too-many-tries')
      const person = await firstRow<{ id: number; password_hash: string }>(pool, 'select id, password_hash from person where lower(email) = lower($1)', [body.email])
      if (!(await verifyPassword(body.password, person?.password_hash ?? nobody)) || !person) {
        await pool.query('insert into sign_in_failure (email, address) values (lower($1), $2)', [body.email, request.ip])
        throw new ProblemError('sign-in-refused')
      }
      const token = makeSecret()
      await pool.query('insert into session (token_digest, person_id, expires_at) values ($1, $2, $3)', [digest(token), person.id, new Date(Date.now() + sessionLength)])
      void reply.setCookie('custode', token, { ...cookie, maxAge: sessionLength / 1000, secure: request.protocol === 'https' })
      return { signedIn: true }
    },
  })

  route(app, {
    method: 'GET', url: '/api/session', access: 'contact', summary: 'Who is signed in', answer: personSchema,
    handle: ({ viewer }): Person => asPerson(viewer),
  })

  route(app, {
    method: 'DELETE', url: '/api/session', access: 'contact', summary: 'Sign out', answer: signedInSchema,
    async handle({ request, reply }) {
      await pool.query('delete from session where token_digest = $1', [digest(request.cookies.custode ?? '')])
      void reply.clearCookie('custode', cookie)
      return { signedIn: false }
    },
  })

  route(app, {
    method: 'POST', url: '/api/people', access: 'lead', summary: 'Add a person', answer: madeSchema, body: newPersonSchema,
    handle: ({ body, viewer }) => inTransaction(pool, async (tx) => {
      if (body.access === 'contact' && body.clientIds === null) throw new ProblemError('invalid', 'A client contact needs at least one client.', [{ at: 'clientIds', message: 'choose at least one client' }])
      const id = await addPerson(tx, body)
      await audit(tx, { personId: viewer.id, action: 'added', kind: 'person', id, detail: { email: body.email, access: body.access } })
      return { id }
    }),
  })

  route(app, {
    method: 'GET', url: '/api/people', access: 'technician', summary: 'People of the service company', answer: peopleSchema,
    handle: () => rows<PersonListed>(pool, `select id, name, email, access from person where access <> 'contact' order by name limit 500`),
  })
}
