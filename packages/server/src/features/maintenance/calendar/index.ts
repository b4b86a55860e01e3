import {
  calendarEntriesSchema,
  calendarImportedSchema,
  calendarImportSchema,
  calendarQuerySchema,
  chosenImportSchema,
  feedsSchema,
  madeFeedSchema,
  madeSchema,
  newFeedSchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../../db'
import { route } from '../../../http/route'
import { requireClient } from '../../access'
import { feeds, makeFeed, plannedCalendar, readFeed, revokeFeed } from './feeds'
import { importCalendar, previewImport } from './import'

const media = 'text/calendar'

/** iCalendar (RFC 5545) both ways: feeds with secret addresses, files out, files in. */
export function calendarRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/calendar/:secret',
    access: 'public',
    summary: 'What is planned, as iCalendar: for whoever has the secret address of a feed',
    answer: { media },
    async handle({ request, reply }) {
      const { secret } = request.params as { secret: string }
      const text = await readFeed(pool, secret.replace(/\.ics$/, ''))
      void reply.type(`${media}; charset=utf-8`).header('cache-control', 'private, max-age=300')
      return text
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/calendar.ics',
    access: 'technician',
    summary: 'The windows of a client, or of all, as an iCalendar file that can be taken in again',
    answer: { media },
    query: calendarQuerySchema,
    async handle({ viewer, query, reply }) {
      if (query.client) requireClient(viewer, query.client, 'no-such-client')
      void reply.type(`${media}; charset=utf-8`).header('content-disposition', 'attachment; filename="maintenance.ics"')
      return plannedCalendar(pool, viewer.clientIds, query.client ?? null, true)
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/calendar/preview',
    access: 'technician',
    summary: 'What taking in an iCalendar file would do, entry by entry',
    answer: calendarEntriesSchema,
    body: calendarImportSchema,
    handle: ({ viewer, body }) => previewImport(pool, viewer, body, Date.now()),
  })
  route(app, {
    method: 'POST',
    url: '/api/calendar',
    access: 'technician',
    summary: 'Take in chosen entries of an iCalendar file, each by itself',
    answer: calendarImportedSchema,
    body: chosenImportSchema,
    handle: ({ viewer, body }) => importCalendar(pool, viewer, body, Date.now()),
  })
  route(app, {
    method: 'GET',
    url: '/api/calendar-feeds',
    access: 'technician',
    summary: 'Calendar feeds that are in use',
    answer: feedsSchema,
    handle: ({ viewer }) => feeds(pool, viewer),
  })
  route(app, {
    method: 'POST',
    url: '/api/calendar-feeds',
    access: 'technician',
    summary: 'Make a calendar feed; its address is told this once',
    answer: madeFeedSchema,
    body: newFeedSchema,
    handle: ({ viewer, body }) => inTransaction(pool, (tx) => makeFeed(tx, viewer, body)),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/calendar-feeds/:id',
    access: 'technician',
    summary: 'Revoke a calendar feed: its address shows nothing any more',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => revokeFeed(tx, viewer, id())),
  })
}
