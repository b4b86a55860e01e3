import { aTime, seriesPageSchema, type SeriesPage } from '#contract'
import { bucketise, day, hour, isMetric, minute, summarise, type Millis, type Sample } from '#core'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import { rows, time, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { requireDevice } from '../estate'

const widths: Millis[] = [10_000, 30_000, minute, 5 * minute, 15 * minute, hour, 6 * hour, day]

/** The narrowest width that cuts the span into at most `most` buckets. */
export function bucketWidth(span: Millis, most: number): Millis {
  return widths.find((width) => span / width <= most) ?? day
}

export function seriesRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/devices/:id/series',
    access: 'contact',
    summary: 'Readings of a device over a time, least, mean and greatest of each span',
    answer: seriesPageSchema,
    query: Joi.object<{ from: Millis; until: Millis; metrics: string }, true>({
      from: aTime.required(),
      until: aTime.required(),
      metrics: Joi.string().max(400).required(),
    }),
    async handle({ viewer, id, query, db }): Promise<SeriesPage> {
      await requireDevice(db, viewer, id())
      const metrics = query.metrics.split(',')
      const unknown = metrics.find((metric) => !isMetric(metric))
      if (unknown !== undefined)
        throw new ProblemError('invalid', `There is no metric “${unknown}”.`, [
          { at: 'metrics', message: 'unknown metric' },
        ])
      if (query.until <= query.from)
        throw new ProblemError('invalid', 'The time ends before it begins. Choose a later end.', [
          { at: 'until', message: 'not after the beginning' },
        ])
      if (query.until - query.from > 31 * day)
        throw new ProblemError('invalid', 'Ask for 31 days at most.', [{ at: 'from', message: 'too long ago' }])
      // By the primary key (device, at): one range a partition.
      const found = await rows<{ at: number; layout_id: number; value: number[] }>(
        db,
        'select at, layout_id, value from report where device_id = $1 and at >= $2 and at < $3 order by at limit 300000',
        [id(), time(query.from), time(query.until)],
      )
      const layoutIds = [...new Set(found.map((row) => row.layout_id))]
      const layouts = await rows<{ id: number; series: [string, string][] }>(
        db,
        'select id, series from layout where id = any($1)',
        [layoutIds],
      )
      const wanted = new Map(
        layouts.map(({ id: layoutId, series }) => [
          layoutId,
          series.flatMap(([metric, instance], i) =>
            metrics.includes(metric) ? [{ key: `${metric}|${instance}`, metric, instance, i }] : [],
          ),
        ]),
      )
      const samples = new Map<string, { metric: string; instance: string; samples: Sample[] }>()
      for (const row of found)
        for (const { key, metric, instance, i } of wanted.get(row.layout_id) ?? []) {
          let sample = samples.get(key)
          if (!sample) samples.set(key, (sample = { metric, instance, samples: [] }))
          sample.samples.push({ at: row.at, value: row.value[i]! })
        }
      const width = bucketWidth(query.until - query.from, 400)
      return {
        from: query.from,
        until: query.until,
        width,
        series: [...samples.values()].map((series) => ({
          metric: series.metric,
          instance: series.instance,
          buckets: bucketise(series.samples, width),
          summary: summarise(series.samples.map((sample) => sample.value)),
        })),
      }
    },
  })
}
