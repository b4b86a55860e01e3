import type { KeyStatement, ProgramName, ReleaseKey, ReleaseStatement, SignedText } from '#contract/report'
import { byVersion } from '#core'
import { readJson, writeWhole } from '#files'
import { isSignedBy, NotOursError } from '../../signature'
import { filesOf } from '../starter'
import { releaseFloor } from '../../version'

declare const __RELEASE_KEY__: ReleaseKey | undefined

/** The public half of the release key that this program was built with; null: it was built without. */
export const builtInKey: ReleaseKey | null = typeof __RELEASE_KEY__ === 'undefined' ? null : __RELEASE_KEY__

interface Kept extends ReleaseKey {
  /** By program, the oldest version that is still taken. */
  floors: Partial<Record<ProgramName, string>>
}

function isKept(value: unknown): boolean {
  const { serial, key, floors } = (value ?? {}) as Partial<Kept>
  return typeof serial === 'number' && typeof key === 'string' && typeof floors === 'object' && floors !== null
}

/**
 * Which programs this agent runs: those that the holder of the release key has signed, and no older ones than it has
 * come to know. The server only names them, so whoever takes the server over cannot have agents run anything else.
 */
export class ReleaseTrust {
  readonly #file: string

  constructor(
    home: string,
    private readonly builtIn: ReleaseKey | null = builtInKey,
  ) {
    this.#file = filesOf(home).trust
  }

  /** As it is on disk now: updates and collectors learn of it on ways of their own. */
  #read(): Kept | null {
    const { builtIn } = this
    const kept = readJson<Kept>(this.#file, isKept)
    // A later key that was learned is never given up for an earlier one, which an older program has built in.
    const isLater = kept !== null && (builtIn === null || kept.serial > builtIn.serial)
    return isLater ? kept : builtIn && { ...builtIn, floors: kept?.floors ?? {} }
  }

  /**
   * Takes over changes of the key, each signed with the one before.
   * @returns whether there was one
   */
  learn(changes: readonly SignedText[]): boolean {
    const before = this.#read()
    let known = before
    for (const change of changes) {
      if (!known || !isSignedBy(change, known.key)) continue
      const { says, serial, key } = JSON.parse(change.text) as Partial<KeyStatement>
      if (says === 'release key' && serial === known.serial + 1 && typeof key === 'string')
        known = { ...known, serial, key }
    }
    if (known === null || known === before) return false
    this.#keep(known)
    return true
  }

  /**
   * What stands in a release statement, when it is about this program, for this platform, and not too old.
   * @throws NotOursError
   */
  read(signed: SignedText, program: ProgramName, platform: string): ReleaseStatement {
    const kept = this.#read()
    if (!kept) throw new NotOursError('this agent was built without a release key: install another over it')
    if (!isSignedBy(signed, kept.key)) throw new NotOursError('its signature is not that of the release key')
    const said = JSON.parse(signed.text) as ReleaseStatement
    if (said.says !== 'release' || said.program !== program)
      throw new NotOursError(`it is “${String(said.program)}”, not “${program}”`)
    if (said.platform !== platform) throw new NotOursError(`it is for ${said.platform}, and this is ${platform}`)
    const floor = this.floorOf(program)
    if (byVersion(said.version, floor) < 0)
      throw new NotOursError(`version ${said.version} is older than ${floor}, and this agent goes back no further`)
    return said
  }

  /** The oldest version of a program that is still taken. */
  floorOf(program: ProgramName): string {
    const kept = this.#read()?.floors[program]
    const builtIn = program === 'custode-agent' ? releaseFloor : '0.0.0'
    return kept !== undefined && byVersion(kept, builtIn) > 0 ? kept : builtIn
  }

  /** From now on nothing older is taken; it never sinks. */
  raise(program: ProgramName, floor: string): void {
    const kept = this.#read()
    if (!kept || byVersion(floor, kept.floors[program] ?? '0.0.0') <= 0) return
    this.#keep({ ...kept, floors: { ...kept.floors, [program]: floor } })
  }

  #keep(kept: Kept): void {
    writeWhole(this.#file, JSON.stringify(kept))
  }
}
