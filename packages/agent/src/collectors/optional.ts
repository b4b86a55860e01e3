import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { compileFunction } from 'node:vm'
import type { CollectorFailure, SignedProgram, SignedText, WantedCollector } from '#contract/report'
import type { OptionalCollector } from '#core'
import { writeWhole } from '#files'
import type { Identity } from '../identity/identity'
import { ReleaseTrust } from '../updates/release'
import { NotOursError } from '../signature'
import { call } from '../uplink'
import type { Collect } from './collector'

/**
 * The text of a collector, when it is what the holder of the release key has signed under that name.
 * @throws NotOursError
 */
function readSource({ source, signed }: SignedProgram, name: OptionalCollector, trust: ReleaseTrust): string {
  const said = trust.read(signed, `collector/${name}`, 'any')
  if (digestOf(source) !== said.sha256) throw new NotOursError('its digest is another')
  return source
}

/** Runs the program's text itself and not a file, so that what was verified is what runs. */
function load(source: string): Collect {
  const module = { exports: {} as { collector?: () => Collect } }
  compileFunction(source, ['module', 'exports', 'require'])(module, module.exports, createRequire('/'))
  if (!module.exports.collector) throw new Error('it is no collector')
  return module.exports.collector()
}

const digestOf = (source: string) => createHash('sha256').update(source).digest('hex')

interface Held {
  digest: string
  collect: Collect
}

/**
 * The collectors that the server sends by rule: fetched, verified, kept for the next start, and gone when no longer
 * wanted.
 */
export class OptionalCollectors {
  readonly #folder: string
  readonly #held = new Map<OptionalCollector, Held>()
  #troubles: CollectorFailure[] = []

  constructor(
    home: string,
    private readonly identity: Identity,
    private readonly trust = new ReleaseTrust(home),
  ) {
    this.#folder = join(home, 'collectors')
    if (!existsSync(this.#folder)) return
    for (const file of readdirSync(this.#folder).filter((file) => file.endsWith('.json'))) {
      const name = file.slice(0, -'.json'.length) as OptionalCollector
      try {
        const source = readSource(
          JSON.parse(readFileSync(join(this.#folder, file), 'utf8')) as SignedProgram,
          name,
          trust,
        )
        this.#held.set(name, { digest: digestOf(source), collect: load(source) })
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
    return [...this.#held.values()].map((collector) => collector.collect)
  }
  /** What was wanted and could not be had. */
  get troubles(): readonly CollectorFailure[] {
    return this.#troubles
  }

  /** Makes it so that exactly the wanted ones are there. */
  async follow(wanted: readonly WantedCollector[]): Promise<void> {
    this.#troubles = []
    for (const name of this.names)
      if (!wanted.some((collector) => collector.name === name)) {
        this.#held.delete(name)
        rmSync(join(this.#folder, `${name}.json`), { force: true })
      }
    for (const { name, digest } of wanted) {
      if (this.#held.get(name)?.digest === digest) continue
      try {
        const { body: program } = await call<SignedProgram>(
          this.identity,
          'GET',
          `/api/agent/collectors/${name}`,
          undefined,
          this.identity.deviceKey,
        )
        const source = await this.#verified(program, name)
        const collect = load(source)
        mkdirSync(this.#folder, { recursive: true, mode: 0o700 })
        writeWhole(join(this.#folder, `${name}.json`), JSON.stringify(program))
        this.#held.set(name, { digest: digestOf(source), collect })
        // Only now: one that does not even load must not keep the one before from coming back.
        const { program: named, floor } = this.trust.read(program.signed, `collector/${name}`, 'any')
        this.trust.raise(named, floor)
      } catch (error) {
        this.#troubles.push({
          collector: name,
          reason: `its program was not taken: ${(error as Error).message}`.slice(0, 500),
        })
      }
    }
  }
  /** Its text; where the release key has changed, the changes are learned first. */
  async #verified(program: SignedProgram, name: OptionalCollector): Promise<string> {
    try {
      return readSource(program, name, this.trust)
    } catch (error) {
      if (
        !(error instanceof NotOursError) ||
        !this.trust.learn((await call<SignedText[]>(this.identity, 'GET', '/agent/release-keys')).body)
      )
        throw error
      return readSource(program, name, this.trust)
    }
  }
}
