import { housePolicySchema, housePolicyViewSchema, type HousePolicy, type HousePolicyView } from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live/announce'
import { isCommon } from '../../secrets/commonPasswords'
import { audit } from './audit'
import { hasNoFactor, isFactorAsked } from './factorRule'
import { mayChangeAll } from './viewer'

export async function housePolicy(db: Db): Promise<HousePolicy> {
  return (await firstRow<HousePolicy>(
    db,
    `select second_factor as "secondFactor", session_days as "sessionDays", password_length as "passwordLength"
     from house_policy`,
  ))!
}

/** @throws ProblemError *invalid* where a password is shorter than the house wants, or one that guessers try first */
export async function requireGoodPassword(db: Db, password: string): Promise<void> {
  const { passwordLength } = await housePolicy(db)
  if ([...password].length < passwordLength)
    throw new ProblemError('invalid', `A password here has ${passwordLength} characters at least.`, [
      { at: 'password', message: `needs ${passwordLength} characters` },
    ])
  if (isCommon(password))
    throw new ProblemError('invalid', 'Many people have this password, and guessers try it first. Choose another.', [
      { at: 'password', message: 'is too common' },
    ])
}

async function viewOf(db: Db): Promise<HousePolicyView> {
  const { without } = (await firstRow<{ without: number }>(
    db,
    `select count(*)::int as without from person p, house_policy h
     where p.deactivated_at is null and ${isFactorAsked} and ${hasNoFactor}`,
  ))!
  return { ...(await housePolicy(db)), without }
}

export function housePolicyRoutes(app: FastifyInstance, pool: Pool): void {
  const refuse = 'What holds for everybody is decided by a lead of all clients.'
  route(app, {
    method: 'GET',
    url: '/api/house-policy',
    access: 'lead',
    summary: 'What holds for whoever signs in: second factor, length of sessions and of passwords',
    answer: housePolicyViewSchema,
    handle: () => viewOf(pool),
  })
  route(app, {
    method: 'PUT',
    url: '/api/house-policy',
    access: 'lead',
    summary: 'Say what holds for whoever signs in; sessions that are longer end sooner',
    answer: housePolicyViewSchema,
    body: housePolicySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', refuse)
        const was = await housePolicy(tx)
        await tx.query('update house_policy set second_factor = $1, session_days = $2, password_length = $3', [
          body.secondFactor,
          body.sessionDays,
          body.passwordLength,
        ])
        await tx.query(
          `update session set expires_at = created_at + make_interval(days => $1)
           where expires_at > created_at + make_interval(days => $1)`,
          [body.sessionDays],
        )
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'person',
          id: null,
          detail: { name: 'what holds for everybody', ...body, was },
        })
        announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
        return viewOf(tx)
      }),
  })
}
