import { signedInSchema, signInSchema, personSchema, type Person, type SignIn } from '#contract'
import { day, hour, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Viewer } from '../../http/viewer'
import { wellFormed } from '../../http/wellFormed'
import { forgetAttempt, noteAttempt, tried } from './attempts'
import { audit } from './audit'
import { clearSessionToken, sessionToken, setSessionToken } from './cookie'
import { hashPassword, verifyPassword } from '../../secrets/password'
import { digest, makeSecret } from '../../secrets/secret'
import type { Vault } from '../../secrets/vault'
import { needsCode, takeCode } from './secondFactor'
import { housePolicy } from './housePolicy'

// Verified when there is no such person, so that the time taken does not tell whether there is.
const nobody = await hashPassword('nobody signs in with this')

function asPerson(viewer: Viewer): Person {
  return {
    id: viewer.id,
    email: viewer.email,
    name: viewer.name,
    access: viewer.access,
    clientIds: viewer.clientIds,
    lookedAt: viewer.lookedAt,
    isFactorDue: viewer.isFactorDue,
  }
}

/** Who does not choose to stay is signed in for so long. */
const workingDay: Millis = 12 * hour

/** From where somebody signs in, and with what. */
interface Origin {
  address: string
  browser: string
}

/** @returns the token of a new session and how long it lasts @throws ProblemError */
async function signIn(
  pool: Pool,
  vault: Vault,
  { email, password, code = '', stay = false }: SignIn,
  { address, browser }: Origin,
): Promise<{ token: string; length: Millis }> {
  const attempt = await noteAttempt(pool, email, address)
  const person = await firstRow<{ id: number; password_hash: string }>(
    pool,
    'select id, password_hash from person where lower(email) = lower($1) and deactivated_at is null',
    [email],
  )
  const isRight = await tried(pool, attempt, verifyPassword(password, person?.password_hash ?? nobody))
  if (!isRight || !person) throw new ProblemError('sign-in-refused')
  if (code === '' && (await needsCode(pool, person.id))) {
    // The password was right; it is the code whose guesses count from here on.
    await forgetAttempt(pool, attempt)
    throw new ProblemError('second-factor-needed')
  }
  const token = makeSecret()
  const longest = (await housePolicy(pool)).sessionDays * day
  const length = stay ? longest : Math.min(longest, workingDay)
  await inTransaction(pool, async (tx) => {
    // Deactivated, or given another password, while this one was verified: then it counts no longer.
    const still = await firstRow(
      tx,
      'select from person where id = $1 and deactivated_at is null and password_hash = $2 for share',
      [person.id, person.password_hash],
    )
    if (!still) throw new ProblemError('sign-in-refused')
    if ((await needsCode(tx, person.id)) && !(await takeCode(tx, vault, person.id, code)))
      throw new ProblemError('second-factor-refused')
    await tx.query(
      'insert into session (token_digest, person_id, expires_at, address, browser) values ($1, $2, $3, $4, $5)',
      [digest(token), person.id, new Date(Date.now() + length), address, wellFormed(browser).slice(0, 300)],
    )
    await tx.query('delete from session where expires_at < now()')
    await forgetAttempt(tx, attempt)
    await audit(tx, { personId: person.id, action: 'signed in', kind: 'person', id: person.id })
  })
  return { token, length }
}

export function signInRoutes(app: FastifyInstance, pool: Pool, vault: Vault): void {
  route(app, {
    method: 'POST',
    url: '/api/session',
    access: 'public',
    summary: 'Sign in',
    answer: signedInSchema,
    body: signInSchema,
    async handle({ body, request, reply }) {
      const { token, length } = await signIn(pool, vault, body, {
        address: request.ip,
        browser: request.headers['user-agent'] ?? '',
      })
      setSessionToken(request, reply, token, length)
      return { signedIn: true }
    },
  })

  route(app, {
    method: 'GET',
    url: '/api/session',
    access: 'contact',
    summary: 'Who is signed in',
    answer: personSchema,
    handle: ({ viewer }): Person => asPerson(viewer),
  })

  route(app, {
    method: 'DELETE',
    url: '/api/session',
    access: 'contact',
    summary: 'Sign out',
    answer: signedInSchema,
    async handle({ request, reply }) {
      await pool.query('delete from session where token_digest = $1', [digest(sessionToken(request) ?? '')])
      clearSessionToken(request, reply)
      return { signedIn: false }
    },
  })
}
