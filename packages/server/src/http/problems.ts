import { problemMediaType, type Problem } from '#contract'
import type { FastifyError, FastifyInstance, FastifyReply } from 'fastify'

/** What is asked for is not there, or is another client's, which is answered alike. */
const absent = {
  'no-such-address': [404, 'No such address', 'There is nothing at this address.'],
  'no-such-client': [404, 'No such client', 'This client does not exist, or you may not see it.'],
  'no-such-site': [404, 'No such site', 'This site does not exist, or you may not see it.'],
  'no-such-device': [404, 'No such device', 'This device does not exist any more, or you may not see it.'],
  'no-such-person': [404, 'No such person', 'This person has no account here, or you may not see it.'],
  'no-such-alert': [404, 'No such alert', 'This alert does not exist, or you may not see it.'],
  'no-such-window': [404, 'No such window', 'This maintenance window does not exist, or you may not see it.'],
  'no-such-template': [404, 'No such template', 'This template does not exist any more. Reload the list.'],
  'no-such-assignment': [404, 'No such assignment', 'This assignment does not exist any more. Reload the list.'],
  'no-such-exception': [404, 'No such exception', 'This exception does not exist any more. Reload the list.'],
  'no-such-key': [404, 'No such key', 'This enrolment key does not exist, or you may not see it.'],
  'no-such-sign-in': [404, 'No such sign-in', 'This stored sign-in does not exist, or you may not see it.'],
  'no-such-sweep': [404, 'No such sweep', 'This sweep does not exist, or you may not see it.'],
  'no-such-run': [404, 'No such run', 'This run does not exist, or you may not see it.'],
  'no-such-rule': [404, 'No such rule', 'This rule does not exist any more, or you may not see it.'],
  'no-such-need': [404, 'No such need', 'No role needs this. Reload Coverage.'],
  'no-such-view': [404, 'No such view', 'This saved view does not exist any more. Reload the page.'],
  'no-such-feed': [404, 'No such feed', 'This calendar feed does not exist any more. Reload the page.'],
  'no-such-waiver': [404, 'Nothing to undo', 'Nothing was marked as not needed on this device. Reload Coverage.'],
  'no-such-team': [404, 'No such team', 'This team does not exist any more. Reload the page.'],
  'no-such-way': [404, 'No such way', 'This way of telling people does not exist any more. Reload the page.'],
  'no-such-token': [404, 'No such token', 'This token does not exist any more, or it is not yours.'],
  'no-such-message': [404, 'No such message', 'This message does not exist, or cannot be sent again.'],
  'no-such-contact': [404, 'No such contact', 'This person is not in the list any more. Reload the page.'],
  'no-such-request': [404, 'No such request', 'This request does not exist, or you may not see it.'],
  'no-such-mail': [404, 'No such mail', 'This mail, or what was attached to it, is not here any more.'],
  'no-such-task': [404, 'No such task', 'There is no such task for this device, or it is over.'],
  'no-such-program': [404, 'No such program', 'This server does not have this program. Build it, or ask for another.'],
  'no-authority': [404, 'No authority', 'This server has no certificate authority of its own to hand out.'],
  'reference-gone': [404, 'Gone', 'Something that this refers to does not exist any more. Reload, then try again.'],
} as const satisfies Record<string, readonly [number, string, string]>

export type AbsentCode = keyof typeof absent

/** Every way in which a request can fail: status, title, and a sentence that tells the person what to do. */
const table = {
  ...absent,
  'sign-in-needed': [401, 'Sign in first', 'You are not signed in, or the session has ended. Sign in and try again.'],
  'sign-in-refused': [401, 'Sign-in refused', 'E-mail address or password is wrong.'],
  'second-factor-needed': [401, 'A code is needed', 'Give the code of your second factor, or a recovery code.'],
  'second-factor-refused': [
    401,
    'Code refused',
    'This is not the code of now, or it was used already. Wait for the next one, or use a recovery code.',
  ],
  'too-many-attempts': [429, 'Too many attempts', 'Too many sign-ins failed. Wait 15 minutes and try again.'],
  'second-factor-due': [
    403,
    'A second factor first',
    'Your house asks a second factor of you. Set one up on your page; then everything is open to you.',
  ],
  'invitation-refused': [
    404,
    'The link does not work',
    'It was used already, is too old, or is not complete. Ask a lead for another, or use “forgotten” where one signs in.',
  ],
  'provider-away': [
    502,
    'Identity provider',
    'The identity provider cannot be reached. Sign in with your password, or try again later.',
  ],
  'provider-refused': [
    403,
    'Not let in',
    'The identity provider knows you, but you may not do anything here. Ask a lead.',
  ],
  'token-refused': [401, 'Token refused', 'The token is wrong, revoked or expired. Make another one.'],
  'beyond-scope': [
    403,
    'Beyond its scope',
    'This token may not do that. Make one with another scope, or do it by hand.',
  ],
  'not-allowed': [403, 'Not allowed', 'Your account may not do this. Ask a lead.'],
  'too-many-reports': [
    429,
    'Busy',
    'More agents report at this moment than this server takes in. They keep what they have and come again by themselves.',
  ],
  'sign-in-busy': [429, 'Busy', 'Many people are signing in at this moment. Wait a few seconds and try again.'],
  'needs-tls': [
    403,
    'TLS is needed',
    'Plain HTTP is accepted only from the server’s own machine, because anybody on the network could read it. Use the https address. A proxy in front of the server must send X-Forwarded-Proto.',
  ],
  'foreign-origin': [
    403,
    'Another web site',
    'The request came from a page of another web site. Open Custode itself and try again.',
  ],
  'not-json': [400, 'Not JSON', 'The body is not valid JSON (RFC 8259). NaN and Infinity are not allowed in it.'],
  'not-gzip': [400, 'Not gzip', 'The body is marked as gzip, but cannot be unpacked.'],
  'wrong-media-type': [415, 'Wrong media type', 'Send the body as application/json.'],
  'too-large': [413, 'Too large', 'The body is larger than 4 MiB unpacked. Send it in smaller batches.'],
  invalid: [400, 'Not valid', 'Some of the values are not valid; the faults name each of them.'],
  'wrong-version': [
    400,
    'Another protocol version',
    'This server speaks version 1 of the agent protocol. Update the older of the two.',
  ],
  'out-of-order': [
    409,
    'Out of order',
    'Reports before these are missing, and the agent says that it still has them. Send them in order.',
  ],
  'device-key-refused': [401, 'Device key refused', 'The device key is wrong or revoked. Enrol the device again.'],
  'enrolment-key-refused': [
    403,
    'Enrolment key refused',
    'The enrolment key is unknown, used up, expired or revoked. Make a new one in Rollout.',
  ],
  'no-place': [403, 'No place', 'The address of this machine lies in no network of a site. Use a key of the site.'],
  'name-in-use': [
    409,
    'Name in use',
    'Another device of this client has this name. Upper and lower case count as the same.',
  ],
  'already-exists': [409, 'Already exists', 'This name is in use. Choose another name.'],
  'changed-meanwhile': [
    409,
    'Changed by somebody else',
    'Somebody saved a newer revision while you were editing. Read it, then apply your change to it.',
  ],
  'already-closed': [409, 'Already closed', 'This alert is closed. If the problem is back, there is a newer alert.'],
  'took-too-long': [
    503,
    'Took too long',
    'It took too long to gather how it was then. Narrow it to a client or by words, and try again.',
  ],
  'looking-back': [409, 'Not in the past', 'What was cannot be changed. Go back to now, and do it there.'],
  'already-ended': [409, 'Already over', 'This window has ended.'],
  'still-used': [409, 'Still used', 'This is still in use. Remove what refers to it first.'],
  'client-out-of-use': [
    409,
    'Out of use',
    'This client is out of use. A lead brings it back in Setup, Clients and sites.',
  ],
  'handed-over-already': [
    409,
    'One at a time',
    'The data of a client is being handed over. Try again when that is done.',
  ],
  'asked-already': [
    409,
    'Already asked',
    'The agent has already been asked. Wait for its answer, or two minutes, and ask again.',
  ],
  'identity-shared': [
    409,
    'Two machines as one',
    'Another machine reports as this device: one is a copy of the other, or a restored snapshot runs beside its original. Enrol this one again.',
  ],
  'counted-by-another': [
    409,
    'Counted by another',
    'Another machine has used the numbers of these reports. Ask for the last number that the server has, and go on after it.',
  ],
  'change-under-way': [
    503,
    'Another change is under way',
    'Somebody else’s change is being made, and takes long. Nothing of yours was saved; try again in a moment.',
  ],
  busy: [503, 'Busy', 'The same device is reporting over another connection. Try again.'],
  'archive-away': [
    503,
    'Older readings not reached',
    'Older readings lie on another database server, which does not answer. Ask for a shorter time, or try again later.',
  ],
  'database-away': [
    503,
    'Database not reached',
    'The server cannot reach its database. Try again in a moment. If it happens again, tell the person who runs the server.',
  ],
  internal: [
    500,
    'Server error',
    'The server failed; the reason is in its log. Try again. If it happens again, tell the person who runs the server.',
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

/** What `postgres_fdw` says of the server that a partition lies on: its name, or that a statement over there broke. */
function archiveAwayOf({ code, message, where }: { code?: string; message: string; where?: string }) {
  if (!/^(08...|57P0.)$/.test(code ?? '')) return null
  const name = /could not connect to server "(.+)"/.exec(message)?.[1]
  if (name === undefined && !where?.includes('remote SQL command')) return null
  return new ProblemError(
    'archive-away',
    `Older readings lie on ${name === undefined ? 'another database server' : `the database server “${name}”`}, which does not answer. Ask for a shorter time, or try again later.`,
  )
}

/**
 * Where no check of ours has said it before: classes 22 (data) and 23 (integrity) of PostgreSQL's error codes are about
 * what was sent.
 */
function refusalOf(error: { code?: string }): ProblemError | null {
  const code = error.code ?? ''
  // lock_not_available and deadlock_detected: another transaction was in the way.
  if (code === '55P03' || code === '40P01') return new ProblemError('change-under-way')
  if (code === '23503') return new ProblemError('reference-gone')
  if (code === '23505') return new ProblemError('already-exists')
  return /^2[23]...$/.test(code)
    ? new ProblemError('invalid', 'One of the values is too long, too large or of the wrong kind.')
    : null
}

function problemOf(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error
  const refusal = refusalOf(error as { code?: string })
  if (refusal) return refusal
  const known = byFastifyCode[(error as FastifyError).code]
  if (known) return new ProblemError(known)
  if (error instanceof SyntaxError) return new ProblemError('not-json')
  const away = archiveAwayOf(error as Error)
  if (away) return away
  if (isDatabaseAway(error as Error)) return new ProblemError('database-away')
  const status = (error as FastifyError).statusCode
  return status && status < 500 ? new ProblemError('invalid', (error as Error).message) : new ProblemError('internal')
}

/** What goes wrong before there is a route: an address that cannot be read, or is too long. */
export function answerFrameworkError(error: FastifyError, _request: unknown, reply: FastifyReply): void {
  const { body } =
    error.code === 'FST_ERR_BAD_URL'
      ? new ProblemError('invalid', 'This address is not valid: check the characters after the last %.')
      : new ProblemError('no-such-address')
  void reply.code(body.status).type(problemMediaType).send(JSON.stringify(body))
}

/** The one page of the interface, whose address is any of its places; it is asked for anew each time. */
export function sendPage(reply: FastifyReply): FastifyReply {
  return reply.sendFile('index.html', { maxAge: 0, immutable: false })
}

/**
 * @param onFault told of what is nobody's fault but the server's
 * @param hasPage the places of the interface are addresses of one page, which says itself when there is no such place
 */
export function answerWithProblems(
  app: FastifyInstance,
  hasPage: boolean,
  onFault: (error: unknown) => void = () => undefined,
): void {
  app.setErrorHandler((error, request, reply) => {
    const problem = problemOf(error)
    if (problem.code === 'internal') onFault(error)
    if (
      problem.body.status === 500 ||
      problem.code === 'database-away' ||
      problem.code === 'archive-away' ||
      (!(error instanceof ProblemError) && refusalOf(error as { code?: string }))
    )
      request.log.error({ err: error }, 'request failed')
    void reply.code(problem.body.status).type(problemMediaType).send(JSON.stringify(problem.body))
  })
  app.setNotFoundHandler((request, reply) => {
    if (hasPage && request.method === 'GET' && !/^\/(api|assets)\//.test(request.url)) return sendPage(reply)
    const { body } = new ProblemError('no-such-address')
    return reply.code(body.status).type(problemMediaType).send(JSON.stringify(body))
  })
}
