import { createHash, createPrivateKey, createPublicKey, generateKeyPairSync, sign } from 'node:crypto'
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { makeFolder, placeOf } from './place.mjs'
import { PlainError } from './say.mjs'

/** @typedef {import('../packages/contract/src/report/release').ReleaseStatement} ReleaseStatement */
/** @typedef {import('../packages/contract/src/report/release').ReleaseKey} ReleaseKey */
/** @typedef {import('../packages/contract/src/report/task').SignedText} SignedText */

/**
 * Where the release key lies. It belongs where agents are built, and never on the server: CUSTODE_RELEASE_KEYS names a
 * folder on a disk that is put away after the build.
 */
const keyFolder = () => process.env.CUSTODE_RELEASE_KEYS ?? placeOf('release')
const keyFile = () => join(keyFolder(), 'release-key.pem')
const changesFile = () => join(keyFolder(), 'release-keys.json')

/** @returns {import('node:crypto').KeyObject} */
function privateKey() {
  if (!existsSync(keyFile()))
    throw new PlainError(`There is no release key in ${keyFolder()}: “./custode release-key” makes one.`)
  return createPrivateKey(readFileSync(keyFile(), 'utf8'))
}

/** @param {import('node:crypto').KeyObject} key */
const publicHalf = (key) => createPublicKey(key).export({ type: 'spki', format: 'der' }).toString('base64')

/** Ed25519 (RFC 8032). @param {object} statement @param {import('node:crypto').KeyObject} key @returns {SignedText} */
function signed(statement, key) {
  const text = JSON.stringify(statement)
  return { text, signature: sign(null, Buffer.from(text, 'utf8'), key).toString('base64') }
}

/** Written beside it and put in its place, readable by its owner only. @param {string} file @param {string} text */
function write(file, text) {
  writeFileSync(`${file}.new`, text, { mode: 0o600 })
  renameSync(`${file}.new`, file)
}

/** Every change of the key there was, the first one first. @returns {SignedText[]} */
export function keyChanges() {
  return existsSync(changesFile()) ? JSON.parse(readFileSync(changesFile(), 'utf8')) : []
}

/** @returns {import('node:crypto').KeyObject} */
function makeKey() {
  const { privateKey: key } = generateKeyPairSync('ed25519')
  makeFolder(keyFolder())
  write(keyFile(), key.export({ type: 'pkcs8', format: 'pem' }).toString())
  return key
}

/** The public half, which is built into the agent; the key is made where there is none. @returns {ReleaseKey} */
export function ensureReleaseKey() {
  const key = existsSync(keyFile()) ? privateKey() : makeKey()
  return { serial: keyChanges().length + 1, key: publicHalf(key) }
}

/**
 * Says that a program is ours, in a file beside it.
 * @param {string} file
 * @param {Omit<ReleaseStatement, 'says' | 'sha256'>} release
 */
export function signRelease(file, release) {
  const sha256 = createHash('sha256').update(readFileSync(file)).digest('hex')
  writeFileSync(`${file}.signed`, JSON.stringify(signed({ says: 'release', ...release, sha256 }, privateKey())))
}

/** Another key, introduced by the one before it, which is then destroyed. @returns {ReleaseKey} */
function renewReleaseKey() {
  const before = privateKey()
  const serial = keyChanges().length + 2
  const { privateKey: after } = generateKeyPairSync('ed25519')
  const change = signed({ says: 'release key', serial, key: publicHalf(after) }, before)
  // The new key first, under another name: a break in between loses neither.
  write(`${keyFile()}.next`, after.export({ type: 'pkcs8', format: 'pem' }).toString())
  write(changesFile(), JSON.stringify([...keyChanges(), change]))
  renameSync(`${keyFile()}.next`, keyFile())
  return { serial, key: publicHalf(after) }
}

/** `./custode release-key [renew]`: makes the key, says where it lies, or changes it. */
export function releaseKey() {
  const [word, ...more] = process.argv.slice(3)
  if (more.length || (word !== undefined && word !== 'renew'))
    throw new PlainError('usage: ./custode release-key [renew]')
  const isThere = existsSync(keyFile())
  const { serial, key } = word === 'renew' ? renewReleaseKey() : ensureReleaseKey()
  process.stdout
    .write(`${word === 'renew' ? 'The release key was changed; the change is signed with the one before.' : isThere ? 'The release key is there.' : 'A release key was made.'}

  private half   ${keyFile()}   sign on a machine that is not the server, and keep a copy where it cannot be stolen
  public half    ${key}   number ${serial}, built into the agent by the next build
`)
}
