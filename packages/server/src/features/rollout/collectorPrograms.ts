import { createHash } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { signedSchema } from '#contract'
import { optionalCollectors, type OptionalCollector } from '#core'
import type { FastifyInstance } from 'fastify'
import type { Engine } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Signer } from './signer'

export type CollectorPrograms = ReadonlyMap<OptionalCollector, { source: string; digest: string }>

/** The optional collectors that were built, each one script. Without a folder there are none. */
export function collectorPrograms(folder: string): CollectorPrograms {
  return new Map(optionalCollectors.flatMap((name) => {
    const file = join(folder, 'collectors', `${name}.cjs`)
    if (!existsSync(file)) return []
    const source = readFileSync(file, 'utf8')
    return [[name, { source, digest: createHash('sha256').update(source).digest('hex') }]]
  }))
}

/** Hands out an optional collector, signed: an agent runs only what its own server has signed. */
export function handOutCollectors(app: FastifyInstance, programs: CollectorPrograms, signer: Signer, engine: Engine): void {
  route(app, {
    method: 'GET', url: '/api/agent/collectors/:name', access: 'device', summary: 'An optional collector, signed', answer: signedSchema,
    async handle({ request }) {
      await engine.deviceOf(request.headers.authorization)
      const name = optionalCollectors.find((one) => one === (request.params as { name: string }).name)
      const program = name && programs.get(name)
      if (!program) throw new ProblemError('not-found', 'This server has no such collector.')
      const text = JSON.stringify({ collector: name, ...program })
      return { text, signature: signer.sign(text) }
    },
  })
}
