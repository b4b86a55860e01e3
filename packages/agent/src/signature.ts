import { createPublicKey, verify } from 'node:crypto'
import type { SignedText } from '#contract/report'

/** Why something is refused. The agent says so in its own log; whoever sent it hears nothing. */
export class NotOursError extends Error {}

/** @param publicKey Ed25519 as SubjectPublicKeyInfo (RFC 8410), base64 */
export function isSignedBy({ text, signature }: Partial<SignedText>, publicKey: string): boolean {
  if (typeof text !== 'string' || typeof signature !== 'string') return false
  const key = createPublicKey({ key: Buffer.from(publicKey, 'base64'), format: 'der', type: 'spki' })
  return verify(null, Buffer.from(text, 'utf8'), key, Buffer.from(signature, 'base64'))
}
