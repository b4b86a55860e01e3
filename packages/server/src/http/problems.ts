import { problemMediaType, type Problem } from '#contract'
import type { FastifyError, FastifyInstance, FastifyReply } from 'fastify'

/** Every way in which a request can fail: status, title, and a sentence that tells the person what to do. */
const table = {
  'sign-in-needed': [401, 'Sign in first', 'You are not signed in, or the session has ended. Sign in and try again.'],
  'sign-in-refused': [401, 'Sign-in refused', 'E-mail address or password is wrong.'],
  'too-many-tries': [429, 'Too many tries', 'Too many sign-ins failed. Wait 15 minutes and try again.'],
  'not-allowed': [403, 'Not allowed', 'Your account may not do this. Ask a lead.'],
  'sign-in-busy': [429, 'Busy', 'Many are signing in just now. Wait a few seconds and try again.'],
  'needs-tls': [
    403,
    'TLS is needed',
    'Plain HTTP is taken from this machine itself only, because everybody on the way could read what is sent. Use the https address; a proxy in front must send X-Forwarded-Proto.',
  ],
  'foreign-origin': [
    403,
    'Foreign origin',
    'The request came from another web site. Open Custode itself and try again.',
  ],
  'not-found': [404, 'Not found', 'There is nothing here, or nothing that you may see.'],
  'not-json': [400, 'Not JSON', 'The body is not valid JSON (RFC 8259). NaN and Infinity do not exist there.'],
  'not-gzip': [400, 'Not gzip', 'The body says it is gzip, but cannot be unpacked.'],
  'wrong-media-type': [415, 'Wrong media type', 'Send the body as application/json.'],
  'too-large': [413, 'Too large', 'The body is larger than 4 MiB unpacked. Send it in smaller batches.'],
  invalid: [400, 'Not valid', 'Some of what was sent does not fit; see the faults.'],
  'wrong-version': [
    400,
    'Another protocol version',
    'This server speaks version 1 of the agent protocol. Update the older of the two.',
  ],
  'out-of-order': [
    409,
    'Out of order',
    'Reports are missing before these, and the agent says it still has them. Send them in order.',
  ],
  'device-key-refused': [401, 'Device key refused', 'The device key is wrong or revoked. Enrol the device again.'],
  'enrolment-key-refused': [
    403,
    'Enrolment key refused',
    'The enrolment key is unknown, used up, expired or revoked. Make a new one in Rollout.',
  ],
  'no-place': [403, 'No place', 'The address does not tell which site this machine belongs to. Use a key of the site.'],
  'name-in-use': [409, 'Name in use', 'Another device of this client has this name. Letter case is no difference.'],
  'already-exists': [409, 'Already there', 'There is one of this name already. Choose another name.'],
  'changed-meanwhile': [
    409,
    'Changed meanwhile',
    'Somebody saved a newer revision while you edited. Look at it, then apply your change to it.',
  ],
  'already-closed': [409, 'Already closed', 'This alert is closed. If the problem is back, there is a newer alert.'],
  'already-ended': [409, 'Already over', 'This window is over already.'],
  'still-used': [409, 'Still used', 'Something still refers to this.'],
  'asked-already': [
    409,
    'Asked already',
    'Its agent was asked already. Wait for its answer, or for two minutes; then ask again.',
  ],
  'identity-shared': [
    409,
    'Two machines as one',
    'Another machine reports as this device: one is a copy of the other, or a restored snapshot runs beside its original. Enrol this one anew.',
  ],
  'counted-by-another': [
    409,
    'Counted by another',
    'Another machine has used the numbers of these reports. Ask what the server has seen, and send them under numbers behind that.',
  ],
  busy: [503, 'Busy', 'The same device is reporting through another connection. Try again.'],
  'database-away': [
    503,
    'Database away',
    'The database is not reached just now. Try again in a moment; if it goes on, tell whoever runs the server.',
  ],
  internal: [
    500,
    'A fault of the server',
    'The server made a mistake; it is in its log. Try again, and tell whoever runs it.',
  ],
} as const satisfies Record<string, readonly [number, string, string]>

export type ProblemCode = keyof typeof table

export class ProblemError extends Error {
  constructor(
    readonly code: ProblemCode,
    readonly detail: string = table[code][2],
    readonly faults?: Problem['faults'],
  ) {
    super(detail)
  }

  get body(): Problem {
    const [status, title] = table[this.code]
    return {
      type: `urn:custode:problem:${this.code}`,
      title,
      status,
      detail: this.detail,
      code: this.code,
      ...(this.faults ? { faults: this.faults } : {}),
    }
  }
}

const byFastifyCode: Record<string, ProblemCode> = {
  FST_ERR_CTP_BODY_TOO_LARGE: 'too-large',
  FST_ERR_CTP_INVALID_MEDIA_TYPE: 'wrong-media-type',
  FST_ERR_CTP_EMPTY_JSON_BODY: 'not-json',
  FST_ERR_CTP_INVALID_JSON_BODY: 'not-json',
}

/** Classes 08 (connection) and 57P (operator intervention) of PostgreSQL's error codes, and what the socket says. */
function isDatabaseAway({ code, message }: { code?: string; message: string }): boolean {
  return (
    /^(08...|57P0.|ECONNREFUSED|ECONNRESET|EPIPE)$/.test(code ?? '') ||
    /Connection terminated|timeout exceeded when trying to connect/.test(message)
  )
}

/**
 * Where no check of ours has said it before: classes 22 (data) and 23 (integrity) of PostgreSQL's error codes are about
 * what was sent.
 */
function refusalOf(error: { code?: string }): ProblemError | null {
  const code = error.code ?? ''
  if (code === '23503') return new ProblemError('not-found', 'Something that this refers to is not there (any more).')
  if (code === '23505') return new ProblemError('already-exists')
  return /^2[23]...$/.test(code)
    ? new ProblemError('invalid', 'A value of this is longer, larger or of another kind than can be kept.')
    : null
}

function problemOf(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error
  const refusal = refusalOf(error as { code?: string })
  if (refusal) return refusal
  const known = byFastifyCode[(error as FastifyError).code]
  if (known) return new ProblemError(known)
  if (error instanceof SyntaxError) return new ProblemError('not-json')
  if (isDatabaseAway(error as Error)) return new ProblemError('database-away')
  const status = (error as FastifyError).statusCode
  return status && status < 500 ? new ProblemError('invalid', (error as Error).message) : new ProblemError('internal')
}

/** What goes wrong before there is a route: an address that cannot be read, or is too long. */
export function answerFrameworkError(error: FastifyError, _request: unknown, reply: FastifyReply): void {
  const { body } =
    error.code === 'FST_ERR_BAD_URL'
      ? new ProblemError('invalid', 'This address cannot be read. Look at what stands after the last %.')
      : new ProblemError('not-found')
  void reply.code(body.status).type(problemMediaType).send(JSON.stringify(body))
}

/** The one page of the interface, whose address is any of its places; it is asked for anew each time. */
export function sendPage(reply: FastifyReply): FastifyReply {
  return reply.sendFile('index.html', { maxAge: 0, immutable: false })
}

/**
 * @param hasPage the places of the interface are addresses of one page, which says itself when there is no such place
 */
export function answerWithProblems(app: FastifyInstance, hasPage: boolean): void {
  app.setErrorHandler((error, request, reply) => {
    const problem = problemOf(error)
    if (
      problem.body.status === 500 ||
      problem.code === 'database-away' ||
      (!(error instanceof ProblemError) && refusalOf(error as { code?: string }))
    )
      request.log.error({ err: error }, 'request failed')
    void reply.code(problem.body.status).type(problemMediaType).send(JSON.stringify(problem.body))
  })
  app.setNotFoundHandler((request, reply) => {
    if (hasPage && request.method === 'GET' && !/^\/(api|assets)\//.test(request.url)) return sendPage(reply)
    const { body } = new ProblemError('not-found')
    return reply.code(body.status).type(problemMediaType).send(JSON.stringify(body))
  })
}
