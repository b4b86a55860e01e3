import {
  alertCalloutsSchema,
  beforeQuerySchema,
  inboxBodySchema,
  inboxSchema,
  madeSchema,
  mailAsideSchema,
  newRequestSchema,
  requestActSchema,
  requestAnswerSchema,
  requestFileQuerySchema,
  requestPageSchema,
  requestPartSchema,
  requestPlacingSchema,
  requestsQuerySchema,
  requestSubjectSchema,
} from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Pool } from '../../db'
import { attachmentOf } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { ofClients } from '../access'
import { calloutsOf } from '../callout'
import { actOnRequest, joinRequest, placeRequest } from './act'
import { answerRequest } from './answer'
import { mailAside, readInbox, requestOf, requireAll, saveInbox } from './inbox'
import { reportRequest } from './report'
import { requestPage, requestPart } from './views'

/** What clients’ people ask by mail. */
export function requestRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/requests',
    access: 'technician',
    summary: 'What clients’ people ask by mail, in parts: open, taken, or closed',
    answer: requestPartSchema,
    query: requestsQuerySchema,
    handle: ({ viewer, query }) => requestPart(pool, viewer, query),
  })
  route(app, {
    method: 'POST',
    url: '/api/requests',
    access: 'technician',
    summary: 'Make a request of what somebody called about, or a program reports',
    answer: madeSchema,
    body: newRequestSchema,
    handle: ({ viewer, body }) => inTransaction(pool, (tx) => reportRequest(tx, viewer, body)),
  })
  route(app, {
    method: 'GET',
    url: '/api/requests/:id',
    access: 'technician',
    summary: 'A request with all mails about it and what was done',
    answer: requestPageSchema,
    handle: ({ viewer, id }) => requestPage(pool, viewer, id()),
  })
  route(app, {
    method: 'GET',
    url: '/api/requests/:id/callouts',
    access: 'technician',
    summary: 'Who was told of a request, when and how, and who is told next if nothing happens',
    answer: alertCalloutsSchema,
    async handle({ viewer, id }) {
      await requestPage(pool, viewer, id())
      return calloutsOf(pool, { of: 'request', id: id() }, viewer)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/request-files/:id',
    access: 'technician',
    summary: 'An attachment of a mail, by its place among them; without a place the mail as it came',
    answer: { media: 'application/octet-stream' },
    query: requestFileQuerySchema,
    async handle({ viewer, id, query, reply }) {
      const mail = await firstRow<{ raw: Buffer }>(
        pool,
        `select m.raw from request_mail m join request r on r.id = m.request_id
         where m.id = $1 and ${ofClients('r.client_id', 2)}`,
        [id(), viewer.clientIds],
      )
      const file =
        mail &&
        (query.n === undefined
          ? { name: `mail-${id()}.eml`, content: mail.raw }
          : await attachmentOf(mail.raw, query.n))
      if (!file) throw new ProblemError('no-such-mail')
      // Whatever it says that it is: it is never shown by the browser as a part of this product.
      void reply
        .type('application/octet-stream')
        .header('content-disposition', `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`)
      return file.content
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/requests/:id/acts',
    access: 'technician',
    summary: 'Take a request, hand it over, put it off, note something, close it',
    answer: requestPageSchema,
    body: requestActSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => actOnRequest(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'POST',
    url: '/api/requests/:id/answers',
    access: 'technician',
    summary: 'Answer by mail whoever asked',
    answer: requestPageSchema,
    body: requestAnswerSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => answerRequest(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'PUT',
    url: '/api/requests/:id/client',
    access: 'technician',
    summary: 'Say whose a request is',
    answer: requestPageSchema,
    body: requestPlacingSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => placeRequest(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'PUT',
    url: '/api/requests/:id/about',
    access: 'technician',
    summary: 'Join a request to an alert or a device of its client, or to nothing',
    answer: requestPageSchema,
    body: requestSubjectSchema,
    handle: ({ viewer, id, body }) => inTransaction(pool, (tx) => joinRequest(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'GET',
    url: '/api/inbox',
    access: 'lead',
    summary: 'For which addresses mail is taken, and where',
    answer: inboxSchema,
    handle({ viewer }) {
      requireAll(viewer)
      return readInbox(pool)
    },
  })
  route(app, {
    method: 'PUT',
    url: '/api/inbox',
    access: 'lead',
    summary: 'Say for which addresses mail is taken; answers come from the first',
    answer: inboxSchema,
    body: inboxBodySchema,
    handle: ({ viewer, body }) => inTransaction(pool, (tx) => saveInbox(tx, viewer, body)),
  })
  route(app, {
    method: 'GET',
    url: '/api/mail-aside',
    access: 'lead',
    summary: 'Mails that became no request, and why, the newest first, in parts',
    answer: mailAsideSchema,
    query: beforeQuerySchema,
    handle({ viewer, query }) {
      requireAll(viewer)
      return mailAside(pool, query.before ?? null, query.limit)
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/mail-aside/:id/request',
    access: 'lead',
    summary: 'Make a request of a mail that was set aside',
    answer: requestPageSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => requestOf(tx, viewer, id())),
  })
}
