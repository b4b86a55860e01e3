import { createHash } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { signedProgramSchema, type SignedProgram, type SignedText } from '#contract'
import { optionalCollectors, type OptionalCollector } from '#core'
import type { FastifyInstance } from 'fastify'
import type { Engine } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { statementFile } from '../rollout/updates/releases'

export type CollectorPrograms = ReadonlyMap<OptionalCollector, SignedProgram & { digest: string }>

/** The optional collectors that were built and signed, each one script. Without a folder there are none. */
export function collectorPrograms(folder: string): CollectorPrograms {
  return new Map(
    optionalCollectors.flatMap((name) => {
      const file = join(folder, 'collectors', `${name}.cjs`)
      if (!existsSync(file) || !existsSync(statementFile(file))) return []
      const source = readFileSync(file, 'utf8')
      const signed = JSON.parse(readFileSync(statementFile(file), 'utf8')) as SignedText
      return [[name, { source, signed, digest: createHash('sha256').update(source).digest('hex') }]]
    }),
  )
}

/** Hands out an optional collector with its release statement: an agent runs only what the release key has signed. */
export function serveCollectors(app: FastifyInstance, programs: CollectorPrograms, engine: Engine): void {
  route(app, {
    method: 'GET',
    url: '/api/agent/collectors/:name',
    access: 'device',
    summary: 'An optional collector, signed',
    answer: signedProgramSchema,
    async handle({ request }) {
      await engine.deviceOf(request.headers.authorization)
      const name = optionalCollectors.find((collector) => collector === (request.params as { name: string }).name)
      const program = name && programs.get(name)
      if (!program) throw new ProblemError('no-such-program')
      return { source: program.source, signed: program.signed }
    },
  })
}
