import type { FastifyInstance, RouteOptions } from 'fastify'
import Joi, { type AnySchema } from 'joi'
import parse from 'joi-to-json'
import { route } from './route'

interface Described {
  method: string
  url: string
  options: RouteOptions
}

/** Collects every route as it is registered; call before any of them. */
export function collectRoutes(app: FastifyInstance): Described[] {
  const found: Described[] = []
  app.addHook('onRoute', (options) => {
    for (const method of [options.method].flat())
      if (method !== 'HEAD' && options.config?.route) found.push({ method, url: options.url, options })
  })
  return found
}

const problem = {
  type: 'object',
  properties: Object.fromEntries(['type', 'title', 'detail', 'code'].map((name) => [name, { type: 'string' }])),
}

/** RFC 7089, section 2.1.1. */
const asOf = {
  name: 'Accept-Datetime',
  in: 'header',
  description: 'Tells how it was then, such as Sat, 28 Nov 2026 10:00:00 GMT.',
  schema: { type: 'string' },
}

/** Serves the description of the API (OpenAPI 3.0) made from the routes and their Joi schemas. */
export function describeApi(app: FastifyInstance, routes: readonly Described[]): void {
  route(app, {
    method: 'GET',
    url: '/api/openapi.json',
    access: 'public',
    summary: 'This description',
    answer: { media: 'application/json' },
    handle: () => ({
      openapi: '3.0.3',
      info: { title: 'Custode', version: '1' },
      components: {
        securitySchemes: {
          session: {
            type: 'apiKey',
            in: 'cookie',
            name: 'custode',
            description: 'Over TLS it is named __Host-custode.',
          },
          token: { type: 'http', scheme: 'bearer', description: 'Of a program; made in Setup.' },
          device: { type: 'http', scheme: 'bearer' },
        },
        schemas: { Problem: problem },
      },
      paths: pathsOf(routes),
    }),
  })
}

function schemaOf(schema: AnySchema): { properties?: Record<string, unknown> } {
  return parse(schema, 'open-api') as { properties?: Record<string, unknown> }
}

function pathsOf(routes: readonly Described[]): Record<string, Record<string, unknown>> {
  const paths: Record<string, Record<string, unknown>> = {}
  for (const { method, url, options } of routes) {
    const spec = options.config!.route!
    const path = url.replace(/:(\w+)/g, '{$1}')
    const query = spec.query ? (schemaOf(spec.query).properties ?? {}) : {}
    const parameters = [
      ...[...url.matchAll(/:(\w+)/g)].map(([, name]) => ({
        name,
        in: 'path',
        required: true,
        schema: { type: name === 'file' ? 'string' : 'integer' },
      })),
      ...Object.entries(query).map(([name, schema]) => ({ name, in: 'query', schema })),
      ...(spec.hasPast ? [asOf] : []),
    ]
    const place = (paths[path] ??= {})
    place[method.toLowerCase()] = {
      summary: spec.summary,
      description: `For: ${spec.access}.`,
      ...(spec.access === 'public'
        ? {}
        : { security: spec.access === 'device' ? [{ device: [] }] : [{ session: [] }, { token: [] }] }),
      ...(parameters.length ? { parameters } : {}),
      ...(spec.body
        ? { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(spec.body) } } } }
        : {}),
      responses: {
        200: {
          description: 'Done',
          content: Joi.isSchema(spec.answer)
            ? { 'application/json': { schema: schemaOf(spec.answer) } }
            : { [spec.answer.media]: {} },
        },
        default: {
          description: 'Refused (RFC 9457)',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
        },
      },
    }
  }
  return paths
}
