import type { FastifyReply, FastifyRequest } from 'fastify'
import type { Millis } from '#core'

const attributes = { httpOnly: true, sameSite: 'strict', path: '/' } as const

/** Over TLS browsers keep it to this very host, and take it over TLS only (RFC 6265bis, section 4.1.3.2). */
const nameFor = (request: FastifyRequest) => (request.protocol === 'https' ? '__Host-custode' : 'custode')

/** The token of the session that a request comes with. */
export function sessionToken(request: FastifyRequest): string | undefined {
  return request.cookies[nameFor(request)]
}

export function setSessionToken(request: FastifyRequest, reply: FastifyReply, token: string, length: Millis): void {
  void reply.setCookie(nameFor(request), token, {
    ...attributes,
    maxAge: length / 1000,
    secure: request.protocol === 'https',
  })
}

export function clearSessionToken(request: FastifyRequest, reply: FastifyReply): void {
  void reply.clearCookie(nameFor(request), { ...attributes, secure: request.protocol === 'https' })
}
