import { request as plainRequest } from 'node:http'
import { request as tlsRequest } from 'node:https'
import { gzipSync } from 'node:zlib'

export class Refused extends Error {
  constructor(readonly status: number, readonly code: string, detail: string) { super(detail) }
}

export interface Answer<T> { body: T; date: number | null }

/** One request with a JSON answer. Rejects with Refused when the server said no, with an Error when it was not reached. */
export function call<T>(server: string, method: 'GET' | 'POST', path: string, body?: unknown, key?: string): Promise<Answer<T>> {
  const url = new URL(path, server)
  const bytes = body === undefined ? undefined : gzipSync(JSON.stringify(body))
  const send = url.protocol === 'https:' ? tlsRequest : plainRequest
  return new Promise((resolve, reject) => {
    const request = send(url, {
      method, timeout: 30_000,
      headers: {
        ...(bytes ? { 'content-type': 'application/json', 'content-encoding': 'gzip', 'content-length': bytes.length } : {}),
        ...(key ? { authorization: `Bearer ${key}` } : {}),
      },
    }, (response) => {
      const chunks: Buffer[] = []
      response.on('data', (chunk: Buffer) => chunks.push(chunk))
      response.on('error', reject)
      response.on('end', () => {
        const text = Buffer.concat(chunks).toString('utf8')
        const status = response.statusCode ?? 0
        try {
          const answer = JSON.parse(text) as T & { code?: string; detail?: string }
          if (status >= 200 && status < 300) resolve({ body: answer, date: response.headers.date ? Date.parse(response.headers.date) : null })
          else reject(new Refused(status, answer.code ?? '', answer.detail ?? `the server answered ${status}`))
        } catch {
          reject(new Error(`${url.origin} answered, but not as a Custode server does`))
        }
      })
    })
    request.on('timeout', () => request.destroy(new Error('no answer within 30 s')))
    request.on('error', reject)
    request.end(bytes)
  })
}
