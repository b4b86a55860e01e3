import { accessLevels } from '#contract'
import type { FastifyInstance } from 'fastify'
import { readDeviceKey } from '../engine'
import { sessionToken, viewerOf } from '../features/access'
import type { Pool } from '../db'
import { ProblemError } from './problems'

const reads = new Set(['GET', 'HEAD'])

/**
 * The one gate. A person's request needs a session; one that changes something must come from our own pages, which
 * browsers tell by Sec-Fetch-Site or Origin (the cookie is SameSite=Strict as well). Devices are checked against the
 * device row in the statement that stores their report.
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
    if (!reads.has(request.method)) refuseForeign(request.headers)
    if (spec.access === 'public') return
    const viewer = await viewerOf(pool, sessionToken(request))
    if (!viewer) throw new ProblemError('sign-in-needed')
    if (accessLevels.indexOf(viewer.access) < accessLevels.indexOf(spec.access)) throw new ProblemError('not-allowed')
    if (!reads.has(request.method) && request.headers['accept-datetime']) throw new ProblemError('looking-back')
    request.viewer = viewer
  })
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
