import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto'

// N = 2^15, r = 8, p = 3: one of the parameter sets of equal strength in OWASP's Password Storage Cheat Sheet.
const cost: ScryptOptions = { N: 2 ** 15, r: 8, p: 3, maxmem: 64 * 1024 * 1024 }

function derive(password: string, salt: Buffer): Promise<Buffer> {
  return new Promise((resolve, reject) => scrypt(password.normalize('NFC'), salt, 32, cost, (error, key) => (error ? reject(error) : resolve(key))))
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
