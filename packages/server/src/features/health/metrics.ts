import type { FastifyInstance } from 'fastify'
import { collectDefaultMetrics, Gauge, Histogram, Registry, openMetricsContentType } from 'prom-client'
import { firstRow, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { isLoopback } from '../../http/transport'

interface Figures {
  devices: number
  reporting: number
  open: number
  held: number
  waiting: number
  failed: number
  faults: number
}

const figuresSql = `
  select (select count(*)::int from device where retired_at is null) as devices,
    (select count(*)::int from device where retired_at is null and heard_at > now() - interval '5 minutes') as reporting,
    (select count(*)::int from alert where status <> 'closed') as open,
    (select count(*)::int from held where ended_at is null) as held,
    (select count(*)::int from callout_message where state in ('waiting', 'sending')) as waiting,
    (select count(*)::int from callout_message where state = 'failed') as failed,
    (select coalesce(sum(times), 0)::int from server_fault where last_at > now() - interval '1 day') as faults`

const gauges: Record<keyof Figures, [name: string, help: string]> = {
  devices: ['custode_devices', 'Devices in use.'],
  reporting: ['custode_devices_reporting', 'Devices heard within five minutes.'],
  open: ['custode_alerts_open', 'Alerts that are not closed.'],
  held: ['custode_alerts_held', 'Alerts held back by maintenance.'],
  waiting: ['custode_messages_waiting', 'Messages that have not left.'],
  failed: ['custode_messages_failed', 'Messages that could not leave.'],
  faults: ['custode_faults_last_day', 'What failed in the server within a day.'],
}

/**
 * Figures of this process and of the house in OpenMetrics 1.0, for what watches the server. Only this machine may ask:
 * a proxy or collector on it hands them on to whom it should.
 */
export function metricsRoute(app: FastifyInstance, pool: Pool): void {
  const registry = new Registry()
  registry.setContentType(openMetricsContentType as never)
  collectDefaultMetrics({ register: registry })
  const [first, ...others] = Object.entries(gauges) as [keyof Figures, [string, string]][]
  const rest = others.map(([key, [name, help]]) => ({ key, gauge: new Gauge({ name, help, registers: [registry] }) }))
  new Gauge({
    name: first![1][0],
    help: first![1][1],
    registers: [registry],
    // All figures are read by one statement, when they are asked for.
    async collect() {
      const figures = (await firstRow<Figures>(pool, figuresSql))!
      this.set(figures[first![0]])
      for (const { key, gauge } of rest) gauge.set(figures[key])
    },
  })
  const answered = new Histogram({
    name: 'custode_http_answers_seconds',
    help: 'How long answers took, by method and status.',
    labelNames: ['method', 'status'],
    buckets: [0.01, 0.05, 0.15, 0.5, 1.5, 5],
    registers: [registry],
  })
  app.addHook('onResponse', (request, reply, done) => {
    // What waits for a change takes as long as nothing changes.
    if (request.url !== '/api/live' && !request.url.startsWith('/api/agent/'))
      answered.observe({ method: request.method, status: String(reply.statusCode) }, reply.elapsedTime / 1000)
    done()
  })
  route(app, {
    method: 'GET',
    url: '/metrics',
    access: 'public',
    summary: 'Figures of this process and of the house in OpenMetrics, for this machine alone',
    answer: { media: 'application/openmetrics-text' },
    async handle({ request, reply }) {
      if (!isLoopback(request.ip)) throw new ProblemError('not-allowed', 'Only the server’s own machine may ask this.')
      return reply.type(registry.contentType).send(await registry.metrics())
    },
  })
}
