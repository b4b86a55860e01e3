import type { Millis, ProbeFault, ProbeTold, ProbeTrouble } from '#core'
import { steady } from '../clock'

/** What one look comes to. */
export type Looked = Pick<
  ProbeTold,
  'outcome' | 'fault' | 'trouble' | 'detail' | 'time' | 'loss' | 'address' | 'expires' | 'size'
>

/** A look that failed: the other device is not as it should be. */
export class FaultError extends Error {
  constructor(
    readonly fault: ProbeFault,
    readonly detail = '',
    readonly loss?: number,
  ) {
    super(`${fault} ${detail}`)
  }
}

/** A look that could not be made: it says nothing of the other device. */
export class TroubleError extends Error {
  constructor(
    readonly trouble: ProbeTrouble,
    readonly detail = '',
  ) {
    super(`${trouble} ${detail}`)
  }
}

/** Of what others say, so much is told on. */
export const mostDetail = 200
/** Without control characters and halves of surrogate pairs, which no database takes. */
const plain = (text: string) =>
  text
    .replace(/[\p{Cc}\p{Cs}]+/gu, ' ')
    .trim()
    .slice(0, mostDetail)
    .replace(/\p{Cs}$/u, '')

const faults: Readonly<Record<string, ProbeFault>> = {
  ECONNREFUSED: 'refused',
  EHOSTUNREACH: 'unreachable',
  ENETUNREACH: 'unreachable',
  EHOSTDOWN: 'unreachable',
  ETIMEDOUT: 'timeout',
  ECONNRESET: 'closed',
  EPIPE: 'closed',
}

/** What an error of the system, of TLS or of HTTP says of the other device. */
export function failed(error: unknown): Looked {
  if (error instanceof FaultError) {
    const { fault, detail, loss } = error
    return { outcome: 'bad', fault, detail: plain(detail), ...(loss === undefined ? {} : { loss }) }
  }
  if (error instanceof TroubleError) return { outcome: 'trouble', trouble: error.trouble, detail: plain(error.detail) }
  const { code = '', message } = error as NodeJS.ErrnoException
  const fault = faults[code]
  if (fault) return { outcome: 'bad', fault }
  // The agent's own lack of files or memory is no fault of theirs.
  if (['EMFILE', 'ENFILE', 'ENOMEM', 'EADDRNOTAVAIL', 'EACCES', 'EPERM'].includes(code))
    return { outcome: 'trouble', trouble: 'other', detail: plain(message) }
  if (code.startsWith('ERR_SSL') || code === 'EPROTO' || code === 'ERR_TLS_CERT_ALTNAME_INVALID')
    return { outcome: 'bad', fault: 'tls', detail: plain(message.replace(/^.*SSL routines:/su, '')) }
  return { outcome: 'bad', fault: 'other', detail: plain(code || message) }
}

const mostPart: Millis = 250
/** A shorter one is late on any machine. */
const leastPart: Millis = 20

/**
 * Ends with a fault when it takes too long; what is under way is ended by `stop`. The time is counted in parts: one in
 * which the agent itself stood still says nothing of who was asked, whose answer may be there and is looked at first.
 */
export async function within<T>(limit: Millis, work: (stop: AbortSignal) => Promise<T>): Promise<T> {
  const stop = new AbortController()
  let late: NodeJS.Timeout | undefined
  try {
    return await Promise.race([
      work(stop.signal),
      new Promise<never>((_resolve, reject) => {
        const waitFor = (left: Millis) => {
          if (left <= 0) return reject(new FaultError('timeout'))
          const part = Math.min(mostPart, Math.max(leastPart, left))
          const began = steady()
          late = setTimeout(() => {
            waitFor(left - (steady() - began > 2 * part ? part / 2 : part))
          }, part)
        }
        waitFor(limit)
      }),
    ])
  } finally {
    clearTimeout(late)
    stop.abort()
  }
}
