import { createPublicKey, verify } from 'node:crypto'
import type { SignedTask } from '#contract/report'

/** Why something is refused. The agent says so in its own log; whoever sent it hears nothing. */
export class NotOurs extends Error {}

/** @param serverKey Ed25519 as SubjectPublicKeyInfo (RFC 8410), base64 */
export function isSignedBy({ text, signature }: SignedTask, serverKey: string): boolean {
  const key = createPublicKey({ key: Buffer.from(serverKey, 'base64'), format: 'der', type: 'spki' })
  return verify(null, Buffer.from(text, 'utf8'), key, Buffer.from(signature, 'base64'))
}
