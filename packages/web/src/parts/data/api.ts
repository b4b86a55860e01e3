import type { Problem } from '#contract'
import { asOf } from './asOf'
import { hasEnded } from './ended'

/** A refusal of the server, in its own words: what is wrong and what to do. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

const unreachable: Problem = {
  type: 'about:blank',
  title: 'Server not reached',
  status: 0,
  code: 'unreachable',
  detail: 'The server is not reached. What you typed is kept; try again in a moment.',
}

interface Answered {
  response: Response
  answer: unknown
}

/** Null: the server was not reached, or the connection broke before its answer was whole. */
async function ask(method: string, path: string, body: unknown, media = 'application/json'): Promise<Answered | null> {
  try {
    const response = await fetch(`/api${path}`, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'content-type': media }),
        // RFC 7089. What can be told of the past is; what would change something is refused.
        ...(asOf.value === null || path === '/session'
          ? {}
          : { 'accept-datetime': new Date(asOf.value).toUTCString() }),
      },
      body: body === undefined ? null : body instanceof Blob ? body : JSON.stringify(body),
    })
    const text = await response.text()
    return { response, answer: parsed(text) }
  } catch {
    return null
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    return null
  }
}

/** A browser drops what is under way when its network changes; asking once more costs nothing. */
const pause = 400

async function call<T>(method: string, path: string, body?: unknown, media?: string): Promise<T> {
  let answered = await ask(method, path, body, media)
  if (!answered && method === 'GET') {
    await new Promise((resolve) => {
      setTimeout(resolve, pause)
    })
    answered = await ask(method, path, body)
  }
  if (!answered) throw new ApiError(unreachable)
  const { response, answer } = answered
  // Who asks whether somebody is signed in, or signs in, is told so.
  if (response.status === 401 && path !== '/session') hasEnded.value = true
  if (!response.ok || answer === null)
    throw new ApiError(
      (answer as Problem | null) ?? {
        ...unreachable,
        status: response.status,
        detail: `The server answered ${response.status}, and not in words that this page knows.`,
      },
    )
  return answer as T
}

export const api = {
  get: <T>(path: string) => call<T>('GET', path),
  /** Sends a file as it is. */
  send: <T>(path: string, file: Blob, media: string) => call<T>('POST', path, file, media),
  post: <T>(path: string, body: unknown = {}) => call<T>('POST', path, body),
  put: <T>(path: string, body: unknown) => call<T>('PUT', path, body),
  delete: <T>(path: string) => call<T>('DELETE', path),
}
