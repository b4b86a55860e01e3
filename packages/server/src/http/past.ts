import type { FastifyInstance, FastifyRequest } from 'fastify'
import type { Millis } from '#core'
import { readAsOf, tookTooLong, type Db, type Pool } from '../db'
import { ProblemError } from './problems'
import { route, type Call, type RouteSpec } from './route'

/** A clock that is somewhat off asks for a time that is hardly to come. */
const ahead: Millis = 5000

/**
 * The time as of which somebody asks: RFC 7089, section 2.1.1, *Accept-Datetime*, in whole seconds. null: as it is now.
 * @throws ProblemError invalid
 */
export function askedAsOf(request: FastifyRequest, now: Millis): Millis | null {
  const text = request.headers['accept-datetime']
  if (text === undefined || text === '') return null
  const at = typeof text === 'string' ? Date.parse(text) : NaN
  if (Number.isNaN(at) || at < 0)
    throw new ProblemError(
      'invalid',
      'Write the time as of which to tell like Sat, 28 Nov 2026 10:00:00 GMT (RFC 7089).',
      [{ at: 'Accept-Datetime', message: 'no time' }],
    )
  if (at > now + ahead)
    throw new ProblemError('invalid', 'Nobody knows yet how it will be. Choose a time that is over.', [
      { at: 'Accept-Datetime', message: 'is to come' },
    ])
  return Math.min(at, now)
}

/** What reads through `db`, and takes `now` for the time that it is, tells how it was then, too. */
export interface PastCall<Query> extends Call<undefined, Query> {
  db: Db
  now: Millis
  isPast: boolean
}

type PastSpec<Query, Answer> = Omit<RouteSpec<undefined, Query, Answer>, 'method' | 'body' | 'handle'> & {
  handle(call: PastCall<Query>): NoInfer<Answer> | Promise<NoInfer<Answer>>
}

/** Registers a route that reads, now or as of any time that is kept; it says as of when it told (RFC 7089, 2.1.1). */
export function pastRoute<Query = undefined, Answer = unknown>(
  app: FastifyInstance,
  pool: Pool,
  spec: PastSpec<Query, Answer>,
): void {
  route<undefined, Query, Answer>(app, {
    ...spec,
    method: 'GET',
    hasPast: true,
    async handle(call) {
      const now = Date.now()
      const at = askedAsOf(call.request, now)
      void call.reply.header('vary', 'accept-datetime')
      if (at === null) return spec.handle({ ...call, db: pool, now, isPast: false })
      void call.reply.header('memento-datetime', new Date(at).toUTCString())
      try {
        return await readAsOf(pool, at, (db) => spec.handle({ ...call, db, now: at, isPast: true }))
      } catch (error) {
        if (tookTooLong(error)) throw new ProblemError('took-too-long')
        throw error
      }
    },
  })
}
