import { createHash, randomBytes } from 'node:crypto'
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { homedir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = dirname(dirname(fileURLToPath(import.meta.url)))
export const isRoot = process.getuid?.() === 0

/**
 * Where everything of one clone lives that is not code. As root the database runs as another user, who may be unable to
 * enter the clone, so it lives under /var/lib; else under the person's state directory (XDG base directory
 * specification).
 * @param {string} name 'demo', 'test'…
 */
export function placeOf(name) {
  return join(base(), `${name}-${clone}`)
}
const clone = createHash('sha256').update(root).digest('hex').slice(0, 10)
const base = () =>
  process.env.CUSTODE_STATE ??
  (isRoot ? '/var/lib/custode' : join(process.env.XDG_STATE_HOME ?? join(homedir(), '.local/state'), 'custode'))

/** Those of this clone whose name begins so and goes on with digits. @param {string} name */
export function placesOf(name) {
  const found = existsSync(base()) ? readdirSync(base()) : []
  return found
    .filter((folder) => folder.endsWith(`-${clone}`) && new RegExp(`^${name}\\d*$`).test(folder.slice(0, -11)))
    .map((folder) => join(base(), folder))
}

/** @param {string} folder @param {number} [mode] */
export function makeFolder(folder, mode = 0o700) {
  mkdirSync(folder, { recursive: true })
  chmodSync(folder, mode)
  return folder
}

/** A secret kept in a file that only its owner can read; made at the first call. @param {string} file */
export function secretIn(file) {
  if (existsSync(file)) return readFileSync(file, 'utf8').trim()
  const secret = randomBytes(24).toString('base64url')
  writeFileSync(file, secret + '\n', { mode: 0o600 })
  return secret
}

/** @param {string} folder */
export function forget(folder) {
  rmSync(folder, { recursive: true, force: true })
}
