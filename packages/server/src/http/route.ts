import type { AccessLevel } from '#contract'
import type { FastifyInstance, FastifyReply, FastifyRequest, HTTPMethods } from 'fastify'
import type { AnySchema, ObjectSchema } from 'joi'
import { asked } from './asked'
import { ProblemError } from './problems'
import type { Viewer } from './viewer'
import { cleanValues } from './wellFormed'

/** Who may call a route: anybody, a device with its key, or a signed-in person of at least this level. */
export type Access = 'public' | 'device' | AccessLevel

/** A body that is not JSON, by its media type. */
export interface OtherMedia {
  media: string
}

export interface RouteAccess {
  access: Access
  summary: string
  body?: ObjectSchema
  query?: ObjectSchema
  answer: AnySchema | OtherMedia
  /** It can be asked how it was at a time that is over. */
  hasPast?: boolean
}

declare module 'fastify' {
  interface FastifyContextConfig {
    route?: RouteAccess
  }
  interface FastifyRequest {
    viewer: Viewer | null
  }
}

export interface Call<Body, Query> {
  body: Body
  query: Query
  viewer: Viewer
  request: FastifyRequest
  reply: FastifyReply
  id(name?: string): number
}

export interface RouteSpec<Body, Query, Answer> {
  method: HTTPMethods
  url: string
  access: Access
  /** One line for the description of the API. */
  summary: string
  body?: ObjectSchema<Body>
  query?: ObjectSchema<Query>
  /** What a success looks like. It describes the API and types the handler; tests hold every answer against it. */
  answer: AnySchema<Answer> | OtherMedia
  bodyLimit?: number
  hasPast?: boolean
  handle(call: Call<Body, Query>): NoInfer<Answer> | Promise<NoInfer<Answer>>
}

function checked<T>(schema: ObjectSchema<T> | undefined, value: unknown, convert: boolean): T {
  if (!schema) return undefined as T
  const { value: clean, error } = schema.validate(value ?? {}, { abortEarly: false, convert })
  if (error)
    throw new ProblemError(
      'invalid',
      error.details[0]?.message,
      error.details.map((detail) => ({ at: detail.path.join('.'), message: detail.message })),
    )
  return clean as T
}

/**
 * Registers a route. There is no other way to do so, and none without saying who may call it: the hook in access.ts
 * refuses what carries no access.
 */
export function route<Body = undefined, Query = undefined, Answer = unknown>(
  app: FastifyInstance,
  spec: RouteSpec<Body, Query, Answer>,
): void {
  app.route({
    method: spec.method,
    url: spec.url,
    ...(spec.bodyLimit ? { bodyLimit: spec.bodyLimit } : {}),
    config: {
      route: {
        access: spec.access,
        summary: spec.summary,
        answer: spec.answer,
        ...(spec.body ? { body: spec.body } : {}),
        ...(spec.query ? { query: spec.query } : {}),
        ...(spec.hasPast ? { hasPast: true } : {}),
      },
    },
    handler: (request, reply) =>
      asked.run({ address: request.ip, ...(request.viewer?.token ? { token: request.viewer.token.name } : {}) }, () =>
        spec.handle({
          body: checked(spec.body, request.body, false),
          query: checked(spec.query, cleanValues(request.query), true),
          viewer: request.viewer as Viewer,
          request,
          reply,
          id(name = 'id') {
            const text = (request.params as Record<string, string>)[name] ?? ''
            const value = /^\d{1,10}$/.test(text) ? Number(text) : 0
            if (value < 1 || value > 2_147_483_647) throw new ProblemError('no-such-address')
            return value
          },
        }),
      ),
  })
}
