import { aliveSchema, firstStepsSchema, healthSchema, troublesSchema, type FirstSteps } from '#contract'
import { second, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, type Pool } from '../../db'
import type { Job } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { isLoopback } from '../../http/transport'
import { markProcess, readHealth, readTroubles, type ServerSelf } from '../../store/health'
import { mayChangeAll } from '../access'
import { metricsRoute } from './metrics'

/** How long the database may take to say that it is there. */
const patience: Millis = 3 * second

/** How the server itself does: for people, for what watches it, and for what balances between its processes. */
export function healthRoutes(app: FastifyInstance, pool: Pool, origin: string): void {
  route(app, {
    method: 'GET',
    url: '/api/health',
    access: 'lead',
    summary: 'How the server does: its processes, its database, what waits, what failed in the last day',
    answer: healthSchema,
    async handle({ viewer }) {
      if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'This is shown to a lead of all clients.')
      return { ...(await readHealth(pool, Date.now())), address: origin }
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/health/troubles',
    access: 'lead',
    summary: 'What is not well about the server, the gravest first; nothing for a lead of some clients',
    answer: troublesSchema,
    handle: ({ viewer }) => (mayChangeAll(viewer) ? readTroubles(pool, Date.now()) : []),
  })
  route(app, {
    method: 'GET',
    url: '/api/first-steps',
    access: 'lead',
    summary: 'How far a new house has been set up: for a lead of all clients',
    answer: firstStepsSchema,
    async handle({ viewer }) {
      if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'A house is set up by a lead of all clients.')
      const done = await firstRow<Omit<FirstSteps, 'address' | 'isReachable'>>(
        pool,
        `select exists (select from second_factor where person_id = $1 and confirmed_at is not null) as "hasFactor",
           exists (select from mail_settings) as "hasMail", (select count(*)::int from client) as clients,
           (select count(*)::int from site) as sites, (select count(*)::int from enrolment_key) as keys,
           (select count(*)::int from device) as devices,
           (select count(*)::int from callout_rule where removed_at is null) as rules`,
        [viewer.id],
      )
      return { ...done!, address: origin, isReachable: !isLoopback(new URL(origin).hostname.replace(/[[\]]/g, '')) }
    },
  })
  route(app, {
    method: 'GET',
    url: '/healthz',
    access: 'public',
    summary: 'Whether this process answers and reaches its database',
    answer: aliveSchema,
    async handle() {
      let late: NodeJS.Timeout | undefined
      try {
        await Promise.race([
          pool.query('select 1'),
          new Promise((_, reject) => {
            late = setTimeout(() => reject(new Error('the database does not answer')), patience)
          }),
        ])
      } catch {
        throw new ProblemError('database-away')
      } finally {
        clearTimeout(late)
      }
      return { status: 'ok' as const }
    },
  })
  metricsRoute(app, pool)
}

/** Says again and again that this process is there. */
export function healthJobs(pool: Pool, process: ServerSelf): Job[] {
  return [{ name: 'process', every: 10 * second, work: (now) => markProcess(pool, process, now) }]
}
