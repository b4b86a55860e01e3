import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto'
import pLimit from 'p-limit'
import { ProblemError } from '../http/problems'

// N = 2^15, r = 8, p = 3: one of the parameter sets of equal strength in OWASP's Password Storage Cheat Sheet.
const cost: ScryptOptions = { N: 2 ** 15, r: 8, p: 3, maxmem: 64 * 1024 * 1024 }

/**
 * Derivations keep a thread of libuv's pool busy for a third of a second each, and reports are unpacked by the same
 * four threads: two stay free for them, however many guess at passwords.
 */
const atOnce = pLimit(2)
/** Whoever waits behind more than these has waited for two seconds, and is better told. */
const mostWaiting = 12

/** @throws ProblemError sign-in-busy when too many are signing in already */
async function derive(password: string, salt: Buffer): Promise<Buffer> {
  if (atOnce.pendingCount >= mostWaiting) throw new ProblemError('sign-in-busy')
  return atOnce(
    () =>
      new Promise((resolve, reject) => {
        scrypt(password.normalize('NFC'), salt, 32, cost, (error, key) => {
          if (error) reject(error)
          else resolve(key)
        })
      }),
  )
}

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`
}

export async function verifyPassword(password: string, stored: string): Promise<boolean> {
  const [, salt, hash] = stored.split('$')
  const expected = Buffer.from(hash ?? '', 'base64')
  const actual = await derive(password, Buffer.from(salt ?? '', 'base64'))
  return expected.length === actual.length && timingSafeEqual(expected, actual)
}
