import { historyLoadSchema, historyLoadsSchema, type HistoryLoad } from '#contract'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import type { Readable } from 'node:stream'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { announce } from '../../../live'
import { audit, requireClient } from '../../access'
import { requireDevice } from '../../estate'
import { bringHistory } from './bring'
import { historyMedia, type HistoryMedia } from './lines'

const columns = `l.id, l.file, p.name as person, l.started_at as "startedAt", l.ended_at as "endedAt",
  l.ended_at is null and l.moved_at < now() - interval '2 minutes' as "isBrokenOff",
  l.lines::float8 as lines, l.taken::float8 as taken, l.refused::float8 as refused, l.devices, l.alerts,
  l.first_at as "firstAt", l.last_at as "lastAt", l.refusals`

const loadOf = (db: Db, id: number): Promise<HistoryLoad | null> =>
  firstRow<HistoryLoad>(
    db,
    `select ${columns} from history_load l join person p on p.id = l.person_id where l.id = $1`,
    [id],
  )

/** Readings of before a device was watched, brought in a file. Nobody is told of what they say. */
export function historyRoutes(app: FastifyInstance, pool: Pool): void {
  // It is read as it comes, however long it is.
  app.addContentTypeParser([...historyMedia], (_request, payload, done) => done(null, payload))
  route(app, {
    method: 'POST',
    url: '/api/clients/:id/history',
    access: 'technician',
    summary: 'Bring readings of days that are over, as NDJSON or CSV; what was there already stays',
    answer: historyLoadSchema,
    query: Joi.object<{ device?: number; file: string }, true>({
      device: Joi.number().integer().min(1).max(2_147_483_647).description('Of lines that name no device.'),
      file: Joi.string().max(200).allow('').default('').description('What the file is called.'),
    }),
    async handle({ viewer, id, query, request }) {
      requireClient(viewer, id())
      const media = request.headers['content-type']?.split(';')[0]?.trim() as HistoryMedia
      if (!historyMedia.includes(media))
        throw new ProblemError('invalid', `Send the file as ${historyMedia.join(' or ')}.`)
      if (query.device !== undefined) {
        const device = await requireDevice(pool, viewer, query.device)
        if (device.client_id !== id()) throw new ProblemError('no-such-device')
      }
      const loadId = await inTransaction(pool, async (tx) => {
        const made = await firstRow<{ id: number }>(
          tx,
          'insert into history_load (client_id, person_id, file) values ($1, $2, $3) returning id',
          [id(), viewer.id, query.file],
        )
        const detail = { file: query.file }
        await audit(tx, {
          personId: viewer.id,
          action: 'brings history',
          kind: 'client',
          id: id(),
          clientId: id(),
          detail,
        })
        return made!.id
      })
      await bringHistory(pool, loadId, id(), query.device ?? null, request.body as Readable, media, Date.now())
      announce(pool, { topic: 'reports', deviceIds: [], clientIds: [id()] })
      return (await loadOf(pool, loadId))!
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/clients/:id/history',
    access: 'technician',
    summary: 'What was brought of a client’s history, the newest first, with what was refused',
    answer: historyLoadsSchema,
    async handle({ viewer, id }) {
      requireClient(viewer, id())
      return rows<HistoryLoad>(
        pool,
        `select ${columns} from history_load l join person p on p.id = l.person_id
         where l.client_id = $1 order by l.id desc limit 20`,
        [id()],
      )
    },
  })
}
