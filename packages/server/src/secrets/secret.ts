import { createHash, randomBytes } from 'node:crypto'

/**
 * 186 random bits or more: too many to guess, so a plain digest is enough to keep. It begins with a letter or a digit,
 * because people put it into commands, where a word that begins with a hyphen is an option.
 */
export function makeSecret(): string {
  for (;;) {
    const secret = randomBytes(24).toString('base64url')
    if (/^[a-z\d]/i.test(secret)) return secret
  }
}

export function digest(secret: string): Buffer {
  return createHash('sha256').update(secret).digest()
}
