import { noticesSchema, seenSchema, type Notice } from '#contract'
import type { FastifyInstance } from 'fastify'
import { rows, type Pool } from '../../../db'
import { route } from '../../../http/route'

export function noticeRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/notices',
    access: 'contact',
    summary: 'What one asked to be told and has not seen yet, newest first',
    answer: noticesSchema,
    handle: ({ viewer }) =>
      rows<Notice>(
        pool,
        `select id, at, text, device_id as "deviceId" from notice where person_id = $1 and seen_at is null
         order by id desc limit 100`,
        [viewer.id],
      ),
  })
  route(app, {
    method: 'POST',
    url: '/api/notices/seen',
    access: 'contact',
    summary: 'All of these are seen',
    answer: seenSchema,
    async handle({ viewer }) {
      await pool.query('update notice set seen_at = now() where person_id = $1 and seen_at is null', [viewer.id])
      return { seen: true }
    },
  })
}
