import { createHash, randomBytes } from 'node:crypto'

/** 192 random bits: too many to guess, so a plain digest is enough to keep. */
export function makeSecret(): string {
  return randomBytes(24).toString('base64url')
}

export function digest(secret: string): Buffer {
  return createHash('sha256').update(secret).digest()
}
