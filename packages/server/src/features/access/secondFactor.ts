import {
  givenCodeSchema,
  ownPasswordOnlySchema,
  recoveryCodesSchema,
  secondFactorEndedSchema,
  secondFactorEndSchema,
  secondFactorSchema,
  secondFactorSecretSchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { randomBytes } from 'node:crypto'
import { generateSecret, generateURI, ScureBase32Plugin, verifySync } from 'otplib'
import { firstRow, inTransaction, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Viewer } from '../../http/viewer'
import { verifyPassword } from '../../secrets/password'
import { digest } from '../../secrets/secret'
import type { Vault } from '../../secrets/vault'
import { forgetAttempt, noteAttempt, tried } from './attempts'
import { audit } from './audit'
import { sessionToken } from './cookie'
import { endSessions, takePerson, requireStillLead } from './people'

/** Seconds by which the clock of what makes the codes may be off: one step (RFC 6238, section 5.2). */
const tolerance = 30
const recoveryCodes = 10
const context = (personId: number) => `second factor ${personId}`

interface FactorRow {
  secret: Buffer
  confirmed_at: number | null
  last_step: number | null
}
const factorOf = (db: Db, personId: number, lock = false): Promise<FactorRow | null> =>
  firstRow<FactorRow>(
    db,
    `select secret, confirmed_at, last_step from second_factor where person_id = $1${lock ? ' for update' : ''}`,
    [personId],
  )

/** Whether somebody needs a code to sign in. */
export async function needsCode(db: Db, personId: number): Promise<boolean> {
  return ((await factorOf(db, personId))?.confirmed_at ?? null) !== null
}

/**
 * The time step of a code, where it is one of now that is later than the last that was taken; else null.
 * @param now in milliseconds
 */
export function stepOf(secret: string, code: string, last: number | null, now: number): number | null {
  if (!/^\d{6}$/.test(code)) return null
  try {
    const result = verifySync({
      secret,
      token: code,
      epoch: Math.floor(now / 1000),
      epochTolerance: tolerance,
      ...(last === null ? {} : { afterTimeStep: last }),
    })
    return result.valid && 'timeStep' in result ? result.timeStep : null
  } catch {
    // The clock was set back behind the last one that was taken: nothing of now is later.
    return null
  }
}

/** A recovery code as it is kept: however it was typed. */
const recoveryDigest = (code: string) => digest(code.toUpperCase().replace(/[^A-Z2-7]/g, ''))

/** Null: it was sealed with a key that is gone, as after a restore without it; recovery codes let in all the same. */
function opened(vault: Vault, sealed: Buffer, personId: number): string | null {
  try {
    return vault.open(sealed, context(personId))
  } catch {
    return null
  }
}

/** Takes a code, once: of the program that makes them, or a recovery code. @returns whether it was one */
export async function takeCode(tx: Db, vault: Vault, personId: number, typed: string): Promise<boolean> {
  const factor = await factorOf(tx, personId, true)
  if (!factor) return false
  const secret = opened(vault, factor.secret, personId)
  const step = secret === null ? null : stepOf(secret, typed.replace(/\s/g, ''), factor.last_step, Date.now())
  if (step !== null) {
    await tx.query('update second_factor set last_step = $2 where person_id = $1', [personId, step])
    return true
  }
  if (factor.confirmed_at === null) return false
  const { rowCount } = await tx.query(
    'update recovery_code set used_at = now() where person_id = $1 and digest = $2 and used_at is null',
    [personId, recoveryDigest(typed)],
  )
  if (rowCount) await audit(tx, { personId, action: 'used a recovery code of', kind: 'person', id: personId })
  return rowCount === 1
}

/** Eighty random bits in base32 (RFC 4648), in groups that can be typed. */
function makeRecoveryCode(): string {
  const text = new ScureBase32Plugin().encode(randomBytes(10))
  return text.match(/.{4}/g)!.join('-')
}

/**
 * Verifies one's own password as an attempt that counts as a guess.
 * @returns the attempt, to be forgotten once all went well
 * @throws ProblemError
 */
async function requirePassword(pool: Pool, viewer: Viewer, password: string, address: string): Promise<number> {
  const attempt = await noteAttempt(pool, viewer.email, address)
  const row = await firstRow<{ password_hash: string }>(pool, 'select password_hash from person where id = $1', [
    viewer.id,
  ])
  if (!(await tried(pool, attempt, verifyPassword(password, row!.password_hash))))
    throw new ProblemError('invalid', 'This is not your password.', [{ at: 'password', message: 'wrong' }])
  return attempt
}

const wrongCode = () =>
  new ProblemError('invalid', 'This is not the code of now, or it was used already. Wait for the next one.', [
    { at: 'code', message: 'wrong' },
  ])

export function secondFactorRoutes(app: FastifyInstance, pool: Pool, vault: Vault): void {
  route(app, {
    method: 'GET',
    url: '/api/second-factor',
    access: 'contact',
    summary: 'Whether one has a second factor oneself',
    answer: secondFactorSchema,
    async handle({ viewer }) {
      const found = await firstRow<{ since: number; left: number }>(
        pool,
        `select f.confirmed_at as since, (select count(*)::int from recovery_code c
           where c.person_id = f.person_id and c.used_at is null) as left
         from second_factor f where f.person_id = $1 and f.confirmed_at is not null`,
        [viewer.id],
      )
      return { since: found?.since ?? null, codesLeft: found?.left ?? 0 }
    },
  })

  route(app, {
    method: 'POST',
    url: '/api/second-factor',
    access: 'contact',
    summary: 'Begin with a second factor (RFC 6238): its secret, shown once; it counts from its first code on',
    answer: secondFactorSecretSchema,
    body: ownPasswordOnlySchema,
    async handle({ viewer, body, request }) {
      const attempt = await requirePassword(pool, viewer, body.password, request.ip)
      const secret = generateSecret()
      return inTransaction(pool, async (tx) => {
        await forgetAttempt(tx, attempt)
        const made = await firstRow(
          tx,
          `insert into second_factor (person_id, secret) values ($1, $2)
           on conflict (person_id) do update set secret = excluded.secret, made_at = now(), last_step = null
           where second_factor.confirmed_at is null returning person_id`,
          [viewer.id, vault.seal(secret, context(viewer.id))],
        )
        if (!made)
          throw new ProblemError('already-exists', 'You have a second factor already. Take it away before another.')
        return { secret, uri: generateURI({ issuer: 'Custode', label: viewer.email, secret }) }
      })
    },
  })

  route(app, {
    method: 'PUT',
    url: '/api/second-factor',
    access: 'contact',
    summary: 'Give the first code of one’s second factor, which counts from then on: recovery codes, shown once',
    answer: recoveryCodesSchema,
    body: givenCodeSchema,
    async handle({ viewer, body, request }) {
      const attempt = await noteAttempt(pool, viewer.email, request.ip)
      return inTransaction(pool, async (tx) => {
        const pending = await factorOf(tx, viewer.id, true)
        if (pending?.confirmed_at !== null) throw new ProblemError('invalid', 'Begin with a new second factor first.')
        if (!(await takeCode(tx, vault, viewer.id, body.code))) throw wrongCode()
        await forgetAttempt(tx, attempt)
        await tx.query('update second_factor set confirmed_at = now() where person_id = $1', [viewer.id])
        const codes = Array.from({ length: recoveryCodes }, makeRecoveryCode)
        await tx.query('insert into recovery_code (person_id, digest) select $1, unnest($2::bytea[])', [
          viewer.id,
          codes.map(recoveryDigest),
        ])
        await endSessions(tx, viewer.id, digest(sessionToken(request) ?? ''))
        await audit(tx, { personId: viewer.id, action: 'set up a second factor of', kind: 'person', id: viewer.id })
        return { codes }
      })
    },
  })

  route(app, {
    method: 'POST',
    url: '/api/second-factor/end',
    access: 'contact',
    summary: 'Take one’s own second factor away',
    answer: secondFactorEndedSchema,
    body: secondFactorEndSchema,
    async handle({ viewer, body, request }) {
      const attempt = await requirePassword(pool, viewer, body.password, request.ip)
      return inTransaction(pool, async (tx) => {
        if (!(await needsCode(tx, viewer.id))) throw new ProblemError('invalid', 'You have no second factor.')
        if (!(await takeCode(tx, vault, viewer.id, body.code))) throw wrongCode()
        await forgetAttempt(tx, attempt)
        await tx.query('delete from second_factor where person_id = $1', [viewer.id])
        await audit(tx, {
          personId: viewer.id,
          action: 'took away the second factor of',
          kind: 'person',
          id: viewer.id,
        })
        return { id: viewer.id }
      })
    },
  })

  route(app, {
    method: 'POST',
    url: '/api/people/:id/second-factor/end',
    access: 'lead',
    summary: 'Take the second factor of somebody away who has lost it; their sessions end',
    answer: secondFactorEndedSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        await requireStillLead(tx, viewer)
        const person = await takePerson(tx, viewer, id())
        if (person.id === viewer.id)
          throw new ProblemError('not-allowed', 'Your own is taken away with a code of it, on your page.')
        await tx.query('delete from second_factor where person_id = $1', [person.id])
        await endSessions(tx, person.id)
        await audit(tx, {
          personId: viewer.id,
          action: 'took away the second factor of',
          kind: 'person',
          id: person.id,
        })
        return { id: person.id }
      }),
  })
}
