import type { Problem } from '#contract'

/** A refusal of the server, in its own words: what is wrong and what to do. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) { super(problem.detail) }
}

const unreachable: Problem = { type: 'about:blank', title: 'Server not reached', status: 0, code: 'unreachable', detail: 'The server is not reached. What you typed is kept; try again in a moment.' }

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await fetch(`/api${path}`, { method, headers: body === undefined ? {} : { 'content-type': 'application/json' }, body: body === undefined ? null : JSON.stringify(body) }).catch(() => null)
  if (!response) throw new ApiError(unreachable)
  const answer: unknown = await response.json().catch(() => null)
  if (!response.ok) throw new ApiError((answer as Problem | null) ?? { ...unreachable, status: response.status, detail: `The server answered ${response.status}.` })
  return answer as T
}

export const api = {
  get: <T>(path: string) => call<T>('GET', path),
  post: <T>(path: string, body: unknown = {}) => call<T>('POST', path, body),
  put: <T>(path: string, body: unknown) => call<T>('PUT', path, body),
  delete: <T>(path: string) => call<T>('DELETE', path),
}
