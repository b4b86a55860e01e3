import { sign, type KeyObject } from 'node:crypto'
import type { KeyStatement, ReleaseKey, SignedText } from '#contract/report'

interface KeyPair {
  publicKey: KeyObject
  privateKey: KeyObject
}

export function signedBy({ privateKey }: KeyPair, statement: object): SignedText {
  const text = JSON.stringify(statement)
  return { text, signature: sign(null, Buffer.from(text), privateKey).toString('base64') }
}

export function releaseKeyOf({ publicKey }: KeyPair, serial: number): ReleaseKey {
  return { serial, key: publicKey.export({ type: 'spki', format: 'der' }).toString('base64') }
}

/** Another key from now on, said with the one before it. */
export function keyStatement(before: KeyPair, after: KeyPair, serial: number): SignedText {
  return signedBy(before, { says: 'release key', ...releaseKeyOf(after, serial) } satisfies KeyStatement)
}
