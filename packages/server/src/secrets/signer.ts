import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, type KeyObject } from 'node:crypto'
import { keyInFile } from './keyFile'

/** Signs what agents are asked to do. */
export interface Signer {
  /** Ed25519 as SubjectPublicKeyInfo (RFC 8410), base64. */
  publicKey: string
  sign(text: string): string
}

function signerOf(key: KeyObject): Signer {
  return {
    publicKey: createPublicKey(key).export({ type: 'spki', format: 'der' }).toString('base64'),
    sign: (text) => sign(null, Buffer.from(text, 'utf8'), key).toString('base64'),
  }
}

/**
 * The key lies in a folder of the server's and never in the database: whoever reads the database cannot sign tasks.
 * Server processes of one installation share the folder. Without one, for tests, the key lives as long as the process.
 */
export function openSigner(folder: string | undefined): Signer {
  if (folder === undefined) return signerOf(generateKeyPairSync('ed25519').privateKey)
  return signerOf(
    createPrivateKey(
      keyInFile(folder, 'signing-key.pem', () =>
        generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString(),
      ),
    ),
  )
}
