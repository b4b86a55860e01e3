import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import { batchLimits } from '#contract'
import type { FastifyInstance } from 'fastify'
import { ProblemError } from './problems'
import { parseWellFormed } from './wellFormed'

const unpack = promisify(gunzip)

/**
 * Reads JSON bodies, gzipped ones too, with a bound on the unpacked size so that a small body cannot grow without end.
 */
export function readJsonBodies(app: FastifyInstance): void {
  app.removeAllContentTypeParsers()
  app.addContentTypeParser(
    'application/json',
    { parseAs: 'buffer' },
    async (request: { headers: Record<string, unknown> }, body: Buffer) => {
      let bytes = body
      if (request.headers['content-encoding'] === 'gzip')
        bytes = await unpack(body, { maxOutputLength: batchLimits.bytes }).catch((error: NodeJS.ErrnoException) => {
          throw new ProblemError(error.code === 'ERR_BUFFER_TOO_LARGE' ? 'too-large' : 'not-gzip')
        })
      if (bytes.length === 0) return undefined
      try {
        return parseWellFormed(bytes.toString('utf8'))
      } catch {
        throw new ProblemError('not-json')
      }
    },
  )
}
