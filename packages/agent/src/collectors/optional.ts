import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { compileFunction } from 'node:vm'
import type { CollectorFailure, SignedTask, WantedCollector } from '#contract/report'
import type { OptionalCollector } from '#core'
import { writeWhole } from '../files'
import type { Identity } from '../identity'
import { isSignedBy, NotOurs } from '../signature'
import { call } from '../uplink'
import type { Collect } from './collector'

interface Program { collector: OptionalCollector; source: string; digest: string }

/** @throws NotOurs when it is not exactly what the server has signed under that name */
export function readProgram(signed: SignedTask, serverKey: string | undefined, name: string): Program {
  if (!serverKey) throw new NotOurs('this machine was enrolled before programs were signed: enrol it anew')
  if (!isSignedBy(signed, serverKey)) throw new NotOurs('its signature is not the server’s')
  const program = JSON.parse(signed.text) as Program
  if (program.collector !== name) throw new NotOurs(`it is the program of “${program.collector}”`)
  if (createHash('sha256').update(program.source).digest('hex') !== program.digest) throw new NotOurs('its digest is another')
  return program
}

/** Runs the program's text itself and not a file, so that what was verified is what runs. */
function load(program: Program): Collect {
  const module = { exports: {} as { collector?: () => Collect } }
  compileFunction(program.source, ['module', 'exports', 'require'])(module, module.exports, createRequire('/'))
  if (!module.exports.collector) throw new Error('it is no collector')
  return module.exports.collector()
}

interface Held { digest: string; collect: Collect }

/** The collectors that the server sends by rule: fetched, verified, kept for the next start, and gone when no longer wanted. */
export class OptionalCollectors {
  readonly #folder: string
  readonly #held = new Map<OptionalCollector, Held>()
  #troubles: CollectorFailure[] = []

  constructor(home: string, private readonly identity: Identity) {
    this.#folder = join(home, 'collectors')
    if (!existsSync(this.#folder)) return
    for (const file of readdirSync(this.#folder).filter((one) => one.endsWith('.json'))) {
      const name = file.slice(0, -'.json'.length) as OptionalCollector
      try {
        const program = readProgram(JSON.parse(readFileSync(join(this.#folder, file), 'utf8')) as SignedTask, identity.serverKey, name)
        this.#held.set(name, { digest: program.digest, collect: load(program) })
      } catch {
        // Not what was stored: the server has it, if it is still wanted.
        rmSync(join(this.#folder, file))
      }
    }
  }

  get names(): OptionalCollector[] {
    return [...this.#held.keys()]
  }
  get collectors(): Collect[] {
    return [...this.#held.values()].map((one) => one.collect)
  }
  /** What was wanted and could not be had. */
  get troubles(): readonly CollectorFailure[] {
    return this.#troubles
  }

  /** Makes it so that exactly the wanted ones are there. */
  async follow(wanted: readonly WantedCollector[]): Promise<void> {
    this.#troubles = []
    for (const name of this.names)
      if (!wanted.some((one) => one.name === name)) {
        this.#held.delete(name)
        rmSync(join(this.#folder, `${name}.json`), { force: true })
      }
    for (const { name, digest } of wanted) {
      if (this.#held.get(name)?.digest === digest) continue
      try {
        const { body: signed } = await call<SignedTask>(this.identity.server, 'GET', `/api/agent/collectors/${name}`, undefined, this.identity.deviceKey)
        const program = readProgram(signed, this.identity.serverKey, name)
        const collect = load(program)
        mkdirSync(this.#folder, { recursive: true, mode: 0o700 })
        writeWhole(join(this.#folder, `${name}.json`), JSON.stringify(signed))
        this.#held.set(name, { digest: program.digest, collect })
      } catch (error) {
        this.#troubles.push({ collector: name, reason: `its program was not taken: ${(error as Error).message}`.slice(0, 500) })
      }
    }
  }
}
