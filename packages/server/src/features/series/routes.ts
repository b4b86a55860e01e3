import { aTime, seriesPageSchema, type SeriesPage } from '#contract'
import { day, isMetric, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import type { Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { askSeries } from '../../store/series'
import { requireDevice } from '../estate'

const usualPoints = 400
const mostPoints = 2000
/** As long as anything is kept of a series, and some more. */
const longest: Millis = 2200 * day

export function seriesRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/devices/:id/series',
    access: 'contact',
    summary: 'Readings of a device over a time, least, mean and greatest of each span',
    answer: seriesPageSchema,
    query: Joi.object<{ from: Millis; until: Millis; metrics: string; points?: number }, true>({
      from: aTime.required(),
      until: aTime.required(),
      metrics: Joi.string().max(400).required().description('Names of metrics, with commas between them.'),
      points: Joi.number().integer().min(10).max(mostPoints).description('So many at most of each series.'),
    }),
    async handle({ viewer, id, query, db }): Promise<SeriesPage> {
      await requireDevice(db, viewer, id())
      const { from, until, points = usualPoints } = query
      const metrics = query.metrics.split(',')
      const unknown = metrics.find((metric) => !isMetric(metric))
      if (unknown !== undefined)
        throw new ProblemError('invalid', `There is no metric “${unknown}”.`, [
          { at: 'metrics', message: 'unknown metric' },
        ])
      if (until <= from)
        throw new ProblemError('invalid', 'The time ends before it begins. Choose a later end.', [
          { at: 'until', message: 'not after the beginning' },
        ])
      if (until - from > longest)
        throw new ProblemError('invalid', 'Ask for six years at most.', [{ at: 'from', message: 'too long ago' }])
      return { from, until, ...(await askSeries(db, { deviceId: id(), metrics, from, until, points })) }
    },
  })
}
