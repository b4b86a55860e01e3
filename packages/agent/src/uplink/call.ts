import { createWriteStream } from 'node:fs'
import { request as plainRequest, type IncomingMessage } from 'node:http'
import { request as tlsRequest } from 'node:https'
import { pipeline } from 'node:stream/promises'
import { gzipSync } from 'node:zlib'
import type { Millis } from '#core'
import { requireSafe, optionsFor, troubleWithTls, type Way } from './way'

export class RefusedError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    /** In how many seconds it may be asked again, where the server says so. */
    readonly retryAfter = 0,
  ) {
    super(detail)
  }
}

export interface Answer<T> {
  body: T
  date: number | null
}

/** No pause that a server asks for is longer, in seconds. */
const longestPause = 3600
/** No answer of the server's is longer: the optional collectors are the largest. */
const longestAnswer = 8 * 1024 * 1024

interface Response {
  status: number
  text: string
  date: number | null
  retryAfter: number
}

/** An address at the server, and what sends to it. */
function target(way: Way, path: string) {
  const server = requireSafe(way.server)
  const url = new URL(path, server)
  if (url.origin !== server.origin) throw new Error('only the server itself is asked')
  return { url, send: url.protocol === 'https:' ? tlsRequest : plainRequest, options: optionsFor(server, way) }
}

/** What is wrong with a certificate, in words that say what to do. */
function explained(error: NodeJS.ErrnoException, { origin }: URL): Error {
  const trouble = troubleWithTls(error.code)
  return trouble === null
    ? error
    : Object.assign(new Error(`${origin} is not trusted: ${trouble}`), { code: error.code })
}

export interface Patience {
  /** Ends the request at once. */
  stop?: AbortSignal
  /** How long nothing at all may come, in milliseconds. */
  idle?: Millis
  /** How long the server may wait with its answer, in seconds (RFC 7240); as long as it thinks right otherwise. */
  wait?: number
}

/** One request. Rejects with an Error when the server was not reached. */
function ask(
  way: Way,
  path: string,
  method: 'GET' | 'POST',
  headers: Record<string, string | number> = {},
  bytes?: Buffer,
  { stop, idle = 30_000 }: Patience = {},
): Promise<Response> {
  const { url, send, options } = target(way, path)
  return new Promise((resolve, reject) => {
    const request = send(
      url,
      { ...options, method, timeout: idle, headers, ...(stop ? { signal: stop } : {}) },
      (response) => {
        const chunks: Buffer[] = []
        let length = 0
        response.on('data', (chunk: Buffer) => {
          chunks.push(chunk)
          length += chunk.length
          if (length > longestAnswer) request.destroy(new Error('the answer has no end'))
        })
        response.on('error', reject)
        response.on('end', () =>
          resolve({
            status: response.statusCode ?? 0,
            text: Buffer.concat(chunks).toString('utf8'),
            date: response.headers.date ? Date.parse(response.headers.date) : null,
            retryAfter: Math.min(longestPause, Number(response.headers['retry-after']) || 0),
          }),
        )
      },
    )
    request.on('timeout', () => request.destroy(new Error(`no answer within ${idle / 1000} s`)))
    request.on('error', (error) => {
      reject(explained(error, url))
    })
    request.end(bytes)
  })
}

/**
 * One request with a JSON answer. Rejects with RefusedError when the server said no, with an Error when it was not
 * reached or `stop` came first.
 */
export async function call<T>(
  way: Way,
  method: 'GET' | 'POST',
  path: string,
  body?: unknown,
  key?: string,
  patience: Patience = {},
): Promise<Answer<T>> {
  const bytes = body === undefined ? undefined : gzipSync(JSON.stringify(body))
  const { status, text, date, retryAfter } = await ask(
    way,
    path,
    method,
    {
      ...(bytes
        ? { 'content-type': 'application/json', 'content-encoding': 'gzip', 'content-length': bytes.length }
        : {}),
      ...(key ? { authorization: `Bearer ${key}` } : {}),
      ...(patience.wait ? { prefer: `wait=${patience.wait}` } : {}),
    },
    bytes,
    patience,
  )
  const { origin } = new URL(way.server)
  const answer = parsed(text) as (T & { code?: string; detail?: string }) | null
  // Before the body: whoever stands between may refuse in words of its own.
  if (status < 200 || status >= 300)
    throw new RefusedError(status, answer?.code ?? '', answer?.detail ?? `${origin} answered ${status}`, retryAfter)
  if (answer === null) throw new Error(`${origin} answered, but not as a Custode server does`)
  return { body: answer, date }
}

/** An object in JSON; null: it is none. */
function parsed(text: string): object | null {
  try {
    const value = JSON.parse(text) as unknown
    return typeof value === 'object' ? value : null
  } catch {
    return null
  }
}

/** A text of the server's. */
export async function textOf(way: Way, path: string): Promise<string> {
  const { status, text } = await ask(way, path, 'GET')
  if (status !== 200) throw new Error(`${way.server}${path}: the server answered ${status}`)
  return text
}

/** A file of the server's, written as it comes. */
export async function fetchTo(way: Way, path: string, file: string): Promise<void> {
  const { url, send, options } = target(way, path)
  const response = await new Promise<IncomingMessage>((resolve, reject) => {
    const request = send(url, { ...options, timeout: 30_000 }, resolve)
    request.on('timeout', () => request.destroy(new Error('no answer within 30 s')))
    request.on('error', (error) => {
      reject(explained(error, url))
    })
    request.end()
  })
  if (response.statusCode !== 200) {
    response.resume()
    throw new Error(`${url.href}: the server answered ${response.statusCode}`)
  }
  await pipeline(response, createWriteStream(file))
}
