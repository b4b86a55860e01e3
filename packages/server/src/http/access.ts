import { accessLevels } from '#contract'
import type { FastifyInstance, FastifyRequest } from 'fastify'
import { readDeviceKey } from '../engine'
import { isOpenTo, programToken, sessionToken, tokenViewer, viewerOf } from '../features/access'
import type { Viewer } from './viewer'
import type { Pool } from '../db'
import { ProblemError } from './problems'

/** What somebody needs who has yet to set up a second factor. */
const openWithoutFactor = /^\/api\/(session|second-factor)(\/end)?$/
const reads = new Set(['GET', 'HEAD'])

/**
 * The one gate. A person's request needs a session, a program's a token; one that changes something must come from our
 * own pages, which browsers tell by Sec-Fetch-Site or Origin (the cookie is SameSite=Strict as well). Devices are
 * checked against the device row in the statement that stores their report.
 */
export function guard(app: FastifyInstance, pool: Pool): void {
  app.decorateRequest('viewer', null)
  app.addHook('onRequest', async (request) => {
    const spec = request.routeOptions.config.route
    if (!spec) {
      // Static files and unknown addresses: nothing of a client's is there.
      if (request.url.startsWith('/api/')) throw new ProblemError('no-such-address')
      return
    }
    if (spec.access === 'device') {
      // Whether the key is right is asked where the device row is read; what is no key at all ends here.
      readDeviceKey(request.headers.authorization)
      return
    }
    if (spec.access === 'public') {
      if (!reads.has(request.method)) refuseForeign(request.headers)
      return
    }
    const token = programToken(request.headers.authorization)
    const viewer = token === null ? await signedIn(pool, request) : await program(pool, token, request)
    if (viewer.isFactorDue && !openWithoutFactor.test(request.routeOptions.url ?? ''))
      throw new ProblemError('second-factor-due')
    if (accessLevels.indexOf(viewer.access) < accessLevels.indexOf(spec.access)) throw new ProblemError('not-allowed')
    if (!reads.has(request.method) && request.headers['accept-datetime']) throw new ProblemError('looking-back')
    request.viewer = viewer
  })
}

async function signedIn(pool: Pool, request: FastifyRequest): Promise<Viewer> {
  if (!reads.has(request.method)) refuseForeign(request.headers)
  const viewer = await viewerOf(pool, sessionToken(request))
  if (!viewer) throw new ProblemError('sign-in-needed')
  return viewer
}

/** A program says by what it asks; no browser sends that for the page of another site. */
async function program(pool: Pool, token: string, request: FastifyRequest): Promise<Viewer> {
  const viewer = await tokenViewer(pool, token, request.ip)
  if (!viewer) throw new ProblemError('token-refused')
  if (!isOpenTo(viewer.token.scope, request.method, request.routeOptions.url ?? ''))
    throw new ProblemError('beyond-scope')
  return viewer
}

function refuseForeign(headers: Record<string, string | string[] | undefined>): void {
  const site = headers['sec-fetch-site']
  if (site !== undefined) {
    if (site !== 'same-origin' && site !== 'none') throw new ProblemError('foreign-origin')
    return
  }
  const origin = headers.origin
  if (typeof origin === 'string' && URL.canParse(origin) && new URL(origin).host !== headers.host)
    throw new ProblemError('foreign-origin')
}
