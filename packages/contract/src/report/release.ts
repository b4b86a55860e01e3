import type { OptionalCollector } from '#core'
import type { SignedText } from './task'

/** The agent itself, or one of its optional collectors. */
export type ProgramName = 'custode-agent' | `collector/${OptionalCollector}`

/**
 * What the holder of the release key says of one program. No server holds that key: a task can only name what it has
 * signed.
 */
export interface ReleaseStatement {
  says: 'release'
  program: ProgramName
  version: string
  /** Such as `linux-x64`; `any` for what runs within the agent. */
  platform: string
  /** SHA-256 of the file as it is handed out, in hexadecimal digits. */
  sha256: string
  /** The oldest version that an agent goes back to once it has run this one. */
  floor: string
}

/** From now on another key signs releases: said with the key before it. */
export interface KeyStatement extends ReleaseKey {
  says: 'release key'
}

export interface ReleaseKey {
  /** One more with each change of the key. */
  serial: number
  /** Ed25519 as SubjectPublicKeyInfo (RFC 8410), base64. */
  key: string
}

/** An optional collector as it is handed out. */
export interface SignedProgram {
  source: string
  signed: SignedText
}
