import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto'
import { keyInFile } from './keyFile'

/** Seals secrets with a key that is not in the database. `context` binds a sealed secret to what it belongs to. */
export interface Vault {
  seal(secret: string, context: string): Buffer
  /** @throws Error when it was changed, belongs to something else, or was sealed with another key */
  open(sealed: Buffer, context: string): string
}

const algorithm = 'aes-256-gcm'
const nonceLength = 12
const tagLength = 16

/** AES-256 in Galois/Counter Mode (NIST SP 800-38D) with a random 96-bit nonce; layout: nonce, tag, text. */
function vaultOf(key: Buffer): Vault {
  return {
    seal(secret, context) {
      const nonce = randomBytes(nonceLength)
      const cipher = createCipheriv(algorithm, key, nonce).setAAD(Buffer.from(context))
      const text = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()])
      return Buffer.concat([nonce, cipher.getAuthTag(), text])
    },
    open(sealed, context) {
      const decipher = createDecipheriv(algorithm, key, sealed.subarray(0, nonceLength))
        .setAAD(Buffer.from(context))
        .setAuthTag(sealed.subarray(nonceLength, nonceLength + tagLength))
      return Buffer.concat([decipher.update(sealed.subarray(nonceLength + tagLength)), decipher.final()]).toString(
        'utf8',
      )
    },
  }
}

/** The key lies beside the signing key; without a folder, for tests, it lives as long as the process. */
export function openVault(folder: string | undefined): Vault {
  if (folder === undefined) return vaultOf(randomBytes(32))
  return vaultOf(
    Buffer.from(
      keyInFile(folder, 'credentials-key', () => randomBytes(32).toString('base64')),
      'base64',
    ),
  )
}
