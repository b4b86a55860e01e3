import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

export interface KeyAndCertificate {
  key: string
  cert: string
}

const newKey = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes']
const openssl = (...args: string[]) => {
  execFileSync('openssl', args, { stdio: 'ignore' })
}

function pair(folder: string, name: string): { key: string; cert: string } {
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  return { key: join(folder, `${name}.key`), cert: join(folder, `${name}.pem`) }
}

const read = ({ key, cert }: KeyAndCertificate): KeyAndCertificate => ({
  key: readFileSync(key, 'utf8'),
  cert: readFileSync(cert, 'utf8'),
})

/**
 * A certificate of its own, as Windows makes one for its remote management; kept, so that it is the same after a
 * restart.
 */
export function selfSigned(folder: string, address: string): KeyAndCertificate {
  const files = pair(folder, address)
  if (!existsSync(files.cert))
    openssl(
      'req',
      '-x509',
      ...newKey,
      '-keyout',
      files.key,
      '-out',
      files.cert,
      '-days',
      '3650',
      '-subj',
      `/CN=${address}`,
    )
  return read(files)
}

/** An authority that nobody knows by itself, and a certificate of it for a server at this address. Both are kept. */
export function signedByOwnAuthority(folder: string, address: string): KeyAndCertificate & { ca: string } {
  const [authority, server] = [pair(folder, 'authority'), pair(folder, address)]
  if (!existsSync(authority.cert))
    openssl(
      'req',
      '-x509',
      ...newKey,
      '-keyout',
      authority.key,
      '-out',
      authority.cert,
      '-days',
      '3650',
      '-subj',
      '/CN=Custode demo authority',
      '-addext',
      'keyUsage=critical,keyCertSign',
    )
  if (!existsSync(server.cert)) {
    const [request, extensions] = [join(folder, `${address}.request`), join(folder, `${address}.extensions`)]
    writeFileSync(extensions, `subjectAltName=IP:${address}\n`)
    openssl('req', ...newKey, '-keyout', server.key, '-out', request, '-subj', `/CN=${address}`)
    openssl(
      'x509',
      '-req',
      '-in',
      request,
      '-CA',
      authority.cert,
      '-CAkey',
      authority.key,
      '-CAcreateserial',
      '-days',
      '825',
      '-extfile',
      extensions,
      '-out',
      server.cert,
    )
  }
  return { ...read(server), ca: readFileSync(authority.cert, 'utf8') }
}
