import {
  aNumber,
  aTime,
  changedPageSchema,
  estateSeriesOrders,
  estateSeriesSchema,
  fillingDisksSchema,
  processesPageSchema,
  readingsPartSchema,
  rhythmHoursSchema,
  rhythmPageSchema,
  seriesMarksSchema,
  seriesPageSchema,
  usualAnewSchema,
  usualPageSchema,
  type SeriesPage,
} from '#contract'
import { day, deviceKinds, hoursOfWeek, isMetric, metrics, type MetricName, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import { inTransaction, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { awayReadings } from '../../store/archive'
import { policyAsOf, policyInForce } from '../../store/policy'
import { askSeries } from '../../store/series'
import { requireClient } from '../access'
import { requireDevice } from '../estate'
import { changedAt } from './changed'
import { estateSeries, fillingDisks, type EstateAsked, type EstateSeriesAsked } from './estateSeries'
import { historyRoutes } from './history/routes'
import { marksOf } from './marks'
import { processesOf } from './processes'
import { openMetricsType } from './openMetrics'
import { readRhythm, readRhythmHours } from './rhythm'
import { scrape } from './scrape'
import { readingsPart, sendReadings } from './table'
import { readUsualPage, setAnew } from './usual'

const usualPoints = 400
const mostPoints = 2000
/** As long as anything is kept of a series, and some more. */
const longest: Millis = 2200 * day
/** As long as single readings are kept, and some more. */
const longestReadings: Millis = 420 * day

const span = { from: aTime.required(), until: aTime.required() }
interface Span {
  from: Millis
  until: Millis
}
/** All of them at once, with room for a comma behind each. */
const mostAsked = Object.keys(metrics).join(',').length + 1
const metricsAsked = Joi.string().max(mostAsked).required().description('Names of metrics, with commas between them.')
const oneSeries = {
  metric: Joi.string().max(60).required(),
  instance: Joi.string()
    .max(400)
    .allow('')
    .default('')
    .description('Which of several, as a disk; empty where there is one.'),
}
interface OneSeries {
  metric: string
  instance: string
}
const weeksAsked = {
  weeks: Joi.number().integer().min(1).max(26).default(4).description('How far back.'),
}

function requireMetrics(names: readonly string[], at: string): MetricName[] {
  const unknown = names.find((name) => !isMetric(name))
  if (unknown !== undefined)
    throw new ProblemError('invalid', `There is no metric “${unknown}”.`, [{ at, message: 'unknown metric' }])
  return names as MetricName[]
}
const requireMetric = (name: string): MetricName => requireMetrics([name], 'metric')[0]!

function requireSpan({ from, until }: Span, most: Millis, atMost: string): void {
  if (until <= from)
    throw new ProblemError('invalid', 'The time ends before it begins. Choose a later end.', [
      { at: 'until', message: 'not after the beginning' },
    ])
  if (until - from > most)
    throw new ProblemError('invalid', `Ask for ${atMost} at most.`, [{ at: 'from', message: 'too long ago' }])
}

export function seriesRoutes(app: FastifyInstance, pool: Pool): void {
  historyRoutes(app, pool)
  pastRoute(app, pool, {
    url: '/api/devices/:id/series',
    access: 'contact',
    summary: 'Readings of a device over a time, least, mean and greatest of each span',
    answer: seriesPageSchema,
    query: Joi.object<Span & { metrics: string; points?: number }, true>({
      ...span,
      metrics: metricsAsked,
      points: Joi.number().integer().min(10).max(mostPoints).description('So many at most of each series.'),
    }),
    async handle({ viewer, id, query, db }): Promise<SeriesPage> {
      await requireDevice(db, viewer, id())
      const { from, until, points = usualPoints } = query
      const metrics = requireMetrics(query.metrics.split(','), 'metrics')
      requireSpan(query, longest, 'six years')
      const away = await awayReadings(pool, from, Date.now())
      const asked = { deviceId: id(), metrics, from: Math.max(from, away?.before ?? from), until, points }
      if (asked.from >= until) return { from, until, away, width: until - from, level: 'hours', series: [] }
      return { from, until, away, ...(await askSeries(db, asked)) }
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/series.csv',
    access: 'contact',
    summary: 'Every single reading of a device over a time, as CSV (RFC 4180)',
    answer: { media: 'text/csv' },
    query: Joi.object<Span & { metrics: string }, true>({ ...span, metrics: metricsAsked }),
    async handle({ viewer, id, query, reply }) {
      const device = await requireDevice(pool, viewer, id())
      const metrics = requireMetrics(query.metrics.split(','), 'metrics')
      requireSpan(query, longestReadings, '420 days of single readings')
      return sendReadings(reply, pool, device, metrics, query.from, query.until)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/clients/:id/openmetrics',
    access: 'contact',
    summary: 'The newest reading of every series of a client, in OpenMetrics 1.0, for programs with a token',
    answer: { media: 'application/openmetrics-text' },
    async handle({ viewer, id, reply }) {
      requireClient(viewer, id(), 'no-such-client')
      return reply.type(openMetricsType).send(await scrape(pool, id(), Date.now()))
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/readings',
    access: 'contact',
    summary: 'Single readings of one series, the newest first, in parts',
    answer: readingsPartSchema,
    query: Joi.object<Span & OneSeries & { limit: number }, true>({
      ...span,
      ...oneSeries,
      limit: Joi.number().integer().min(1).max(1000).default(200),
    }),
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      requireSpan(query, longestReadings, '420 days of single readings')
      return readingsPart(db, id(), requireMetric(query.metric), query.instance, query)
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/marks',
    access: 'contact',
    summary: 'Levels that were in force for a series, and what happened to its device meanwhile',
    answer: seriesMarksSchema,
    query: Joi.object<Span & OneSeries, true>({ ...span, ...oneSeries }),
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      requireSpan(query, longest, 'six years')
      const { instance, from, until } = query
      return marksOf(db, viewer, { deviceId: id(), metric: requireMetric(query.metric), instance, from, until })
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/processes',
    access: 'contact',
    summary: 'Which processes used the CPU and the memory of a device over a time',
    answer: processesPageSchema,
    query: Joi.object<Span, true>(span),
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      requireSpan(query, longest, 'six years')
      return processesOf(db, id(), query.from, query.until)
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/usual',
    access: 'contact',
    summary: 'What is usual for a series hour by hour of the week, and what would have been told of late',
    answer: usualPageSchema,
    query: Joi.object<OneSeries, true>(oneSeries),
    async handle({ viewer, id, query, db, now, isPast }) {
      await requireDevice(db, viewer, id())
      const policy = await (isPast ? policyAsOf(db, now) : policyInForce(db))
      return readUsualPage(db, policy, { deviceId: id(), ...query, metric: requireMetric(query.metric), now })
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/usual',
    access: 'technician',
    summary: 'Have a series learned anew from now on, or as before',
    answer: usualPageSchema,
    body: usualAnewSchema,
    async handle({ viewer, id, body }) {
      const metric = requireMetric(body.metric)
      await inTransaction(pool, (tx) => setAnew(tx, viewer, id(), { ...body, metric }))
      const { instance } = body
      return readUsualPage(pool, await policyInForce(pool), { deviceId: id(), metric, instance, now: Date.now() })
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/rhythm',
    access: 'contact',
    summary: 'When in a week a series is how, on the clocks of its site',
    answer: rhythmPageSchema,
    query: Joi.object<OneSeries & { weeks: number; beyond?: number }, true>({
      ...oneSeries,
      ...weeksAsked,
      beyond: Joi.number().description(
        'Tells of each hour the share of readings above it; below it of what is scarce.',
      ),
    }),
    async handle({ viewer, id, query, db, now }) {
      await requireDevice(db, viewer, id())
      const { instance, weeks, beyond = null } = query
      return readRhythm(db, { deviceId: id(), metric: requireMetric(query.metric), instance, weeks, now }, beyond)
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/rhythm-hours',
    access: 'contact',
    summary: 'What else was so in certain hours of the week: other series, log entries, windows',
    answer: rhythmHoursSchema,
    query: Joi.object<OneSeries & { weeks: number; first: number; last: number }, true>({
      ...oneSeries,
      ...weeksAsked,
      first: Joi.number()
        .integer()
        .min(0)
        .max(hoursOfWeek - 1)
        .required()
        .description('The first hour, from Monday 00:00.'),
      last: Joi.number().integer().min(1).max(hoursOfWeek).required().description('The one after the last.'),
    }),
    async handle({ viewer, id, query, db, now }) {
      await requireDevice(db, viewer, id())
      const { instance, weeks, first, last } = query
      if (last <= first)
        throw new ProblemError('invalid', 'The hours end before they begin. Choose a later end.', [
          { at: 'last', message: 'not after the first' },
        ])
      const asked = { deviceId: id(), metric: requireMetric(query.metric), instance, weeks, now }
      return readRhythmHours(db, asked, first, last)
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/changed',
    access: 'contact',
    summary: 'Which series have another level or rhythm since a moment, the most first',
    answer: changedPageSchema,
    query: Joi.object<{ at: Millis; site: boolean }, true>({
      at: aTime.required(),
      site: Joi.boolean().default(false).description('Those of the other devices of its site, too.'),
    }),
    async handle({ viewer, id, query, db, now }) {
      const device = await requireDevice(db, viewer, id())
      if (query.at > now)
        throw new ProblemError('invalid', 'Nobody knows yet. Choose a time that is over.', [
          { at: 'at', message: 'is to come' },
        ])
      return changedAt(db, viewer, device, query.at, now, query.site)
    },
  })
  const estateAsked = {
    client: aNumber,
    kind: Joi.string().valid(...deviceKinds),
    role: Joi.string().max(40),
    words: Joi.string().allow('').max(100),
    limit: Joi.number().integer().min(1).max(500).default(100),
  }
  route(app, {
    method: 'GET',
    url: '/api/estate/series',
    access: 'contact',
    summary: 'One metric on all devices over days that are over, the worst first',
    answer: estateSeriesSchema,
    query: Joi.object<Omit<EstateSeriesAsked, 'metric'> & { metric: string }, true>({
      ...estateAsked,
      metric: Joi.string().max(60).required(),
      days: Joi.number().integer().min(1).max(90).default(7),
      order: Joi.string()
        .valid(...estateSeriesOrders)
        .default('p95'),
      beyond: Joi.number().description(
        'Only those whose figure of this order is as bad as this, or worse, in the metric’s unit.',
      ),
    }),
    handle: ({ viewer, query }) =>
      estateSeries(pool, viewer, { ...query, metric: requireMetric(query.metric) }, Date.now()),
  })
  route(app, {
    method: 'GET',
    url: '/api/estate/filling',
    access: 'contact',
    summary: 'Disks that fill at their pace of the last two weeks, the soonest first',
    answer: fillingDisksSchema,
    query: Joi.object<EstateAsked & { limit: number }, true>(estateAsked),
    handle: ({ viewer, query }) => fillingDisks(pool, viewer, query, query.limit, Date.now()),
  })
}
