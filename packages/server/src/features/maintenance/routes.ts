import {
  deviceWindowsQuerySchema,
  deviceWindowsSchema,
  freeQuerySchema,
  freeTimesSchema,
  heldListSchema,
  lanesQuerySchema,
  lanesSchema,
  madeSchema,
  newWindowSchema,
  occurrenceActSchema,
  occurrenceQuerySchema,
  uncoveredSchema,
  watchlineQuerySchema,
  watchlineSchema,
  windowChangeSchema,
  windowDraftSchema,
  windowListSchema,
  windowPageSchema,
  windowPostsAnswerSchema,
  windowPostsSchema,
  windowPreviewSchema,
  windowQuerySchema,
  windowRecordQuerySchema,
  windowReviewSchema,
  windowWhySchema,
  type Watchline,
} from '#contract'
import { hour } from '#core'
import type { FastifyInstance } from 'fastify'
import { inTransaction, rows, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { ofClients } from '../access'
import { heldSelect, type HeldRow } from '../alert'
import { requireDevice } from '../estate'
import { calendarRoutes } from './calendar'
import { actOnOccurrence, changeWindow, endWindow, openWindow, reviewWindow } from './changes'
import { freeTimes } from './free'
import { lanes } from './lanes'
import { previewWindow, windowPosts } from './preview'
import { uncoveredAlerts, windowPage } from './record'
import { listedRow, windowList, windowsAt } from './views'
import { watchline } from './watchline'

export function maintenanceRoutes(app: FastifyInstance, pool: Pool, pastAllowed: boolean): void {
  readingRoutes(app, pool)
  draftRoutes(app, pool)
  changeRoutes(app, pool, pastAllowed)
  calendarRoutes(app, pool)
}

function readingRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/windows',
    access: 'contact',
    summary: 'Maintenance windows of a group, or of all, in parts',
    answer: windowListSchema,
    query: windowQuerySchema,
    handle: ({ viewer, query, db }) => windowList(db, viewer, query),
  })
  pastRoute(app, pool, {
    url: '/api/windows/:id',
    access: 'contact',
    summary: 'One window with its times, what came of each, and how it was changed',
    answer: windowPageSchema,
    handle: ({ viewer, id, db, now }) => windowPage(db, viewer, id(), now),
  })
  pastRoute(app, pool, {
    url: '/api/windows/:id/record',
    access: 'contact',
    summary: 'What a window held back, or one of its times did, the newest first, in parts',
    answer: heldListSchema,
    query: windowRecordQuerySchema,
    async handle({ viewer, id, query, db }) {
      if (!(await listedRow(db, viewer, id()))) throw new ProblemError('no-such-window')
      return rows<HeldRow>(
        db,
        `${heldSelect} where h.window_id = $1 and ${ofClients('h.client_id', 2)} and ($3::bigint is null or h.id < $3)
         and ($5::int is null or h.occurrence_id = $5)
         order by h.id desc limit $4`,
        [id(), viewer.clientIds, query.before ?? null, query.limit, query.occurrence ?? null],
      )
    },
  })
  pastRoute(app, pool, {
    url: '/api/windows/:id/uncovered',
    access: 'contact',
    summary: 'Alerts on its devices that were raised while a time of the window was in force, and not held',
    answer: uncoveredSchema,
    query: occurrenceQuerySchema,
    handle: ({ viewer, id, query, db }) => uncoveredAlerts(db, viewer, id(), query.occurrence ?? null),
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/windows',
    access: 'contact',
    summary: 'Windows that reach a device, the newest first, in parts',
    answer: deviceWindowsSchema,
    query: deviceWindowsQuerySchema,
    // A window for every client reaches this one too, so a contact sees it at the device.
    handle: async ({ viewer, id, query, db }) =>
      windowsAt(db, viewer, await requireDevice(db, viewer, id()), query.after),
  })
  pastRoute(app, pool, {
    url: '/api/lanes',
    access: 'contact',
    summary: 'What is planned within a time: a lane for each client, or for each site of one',
    answer: lanesSchema,
    query: lanesQuerySchema,
    handle: ({ viewer, query, db, now }) => lanes(db, viewer, query, now),
  })
  route(app, {
    method: 'GET',
    url: '/api/lanes/free',
    access: 'technician',
    summary: 'When nothing is planned at a client, within some hours of its clocks',
    answer: freeTimesSchema,
    query: freeQuerySchema,
    handle: ({ viewer, query }) => freeTimes(pool, viewer, query, Date.now()),
  })
  route(app, {
    method: 'GET',
    url: '/api/watchline',
    access: 'contact',
    summary: 'Alerts and windows of the last 24 and the next 12 hours: a lane for each client, or one for many',
    answer: watchlineSchema,
    query: watchlineQuerySchema,
    handle: ({ viewer, query }): Promise<Watchline> =>
      watchline(pool, viewer, query.client ?? null, Date.now(), 24 * hour, 12 * hour),
  })
}

/** What a window would be, before it is saved; they change nothing. */
function draftRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'POST',
    url: '/api/windows/preview',
    access: 'technician',
    summary: 'What a window would do: its next five times, changes of the clocks, overlaps, what it would hold now',
    answer: windowPreviewSchema,
    body: windowDraftSchema,
    handle: ({ body, viewer }) => previewWindow(pool, viewer, body.window, body.id, Date.now()),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/posts',
    access: 'technician',
    summary: 'The posts that a window would hold, counted by family, in parts',
    answer: windowPostsAnswerSchema,
    body: windowPostsSchema,
    handle: ({ body, viewer }) => windowPosts(pool, viewer, body),
  })
}

function changeRoutes(app: FastifyInstance, pool: Pool, pastAllowed: boolean): void {
  route(app, {
    method: 'POST',
    url: '/api/windows',
    access: 'technician',
    summary: 'Make a maintenance window',
    answer: madeSchema,
    body: newWindowSchema,
    handle: ({ body, viewer }) => inTransaction(pool, (tx) => openWindow(tx, body, viewer, Date.now(), pastAllowed)),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/:id/change',
    access: 'technician',
    summary: 'Change one time of a window, that and all after it, or all that are to come',
    answer: madeSchema,
    body: windowChangeSchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => changeWindow(tx, id(), body, viewer, Date.now())),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/:id/occurrence',
    access: 'technician',
    summary: 'Skip, restore, end or extend one time of a window',
    answer: madeSchema,
    body: occurrenceActSchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => actOnOccurrence(tx, id(), body, viewer, Date.now())),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/:id/review',
    access: 'technician',
    summary: 'Say that a window is still needed, and when to look again',
    answer: madeSchema,
    body: windowReviewSchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => reviewWindow(tx, id(), body, viewer, Date.now())),
  })
  route(app, {
    method: 'POST',
    url: '/api/windows/:id/end',
    access: 'technician',
    summary: 'End a window for good; what still fails is raised at once',
    answer: madeSchema,
    body: windowWhySchema,
    handle: ({ body, viewer, id }) =>
      inTransaction(pool, (tx) => endWindow(tx, id(), body.why ?? '', viewer, Date.now())),
  })
}
