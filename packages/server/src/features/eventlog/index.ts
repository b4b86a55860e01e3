import {
  logGroupsSchema,
  logMatchesSchema,
  logPageQuerySchema,
  logPageSchema,
  logQuerySchema,
  logScopeSchema,
  logVolumesSchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import type { Pool } from '../../db'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { logGroups, logMatches, logPage } from './search'
import { logVolumes } from './volume'

/** Log entries of a device, a client, or everyone. */
export function eventlogRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/log',
    access: 'contact',
    summary: 'Log entries, newest first, by log, source, id, level, words and time, in parts',
    answer: logPageSchema,
    query: logPageQuerySchema,
    handle: ({ viewer, query, db, now }) => logPage(db, viewer, query, now),
  })
  pastRoute(app, pool, {
    url: '/api/log/groups',
    access: 'contact',
    summary: 'How many log entries match, and what they say but for their numbers',
    answer: logGroupsSchema,
    query: logQuerySchema,
    handle: ({ viewer, query, db, now }) => logGroups(db, viewer, query, now),
  })
  pastRoute(app, pool, {
    url: '/api/log/matches',
    access: 'contact',
    summary: 'How often a watch of such entries would have matched in the last 14 days, and on which devices',
    answer: logMatchesSchema,
    query: logQuerySchema,
    handle: ({ viewer, query, db, now }) => logMatches(db, viewer, query, now),
  })
  route(app, {
    method: 'GET',
    url: '/api/log/volume',
    access: 'contact',
    summary: 'How many entries were written within a day, by log and level, and how many of them a watch looks for',
    answer: logVolumesSchema,
    query: logScopeSchema,
    handle: ({ viewer, query }) => logVolumes(pool, viewer, query),
  })
}
