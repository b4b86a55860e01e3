import { connect as connectPlain, type Socket } from 'node:net'
import { existsSync, readFileSync, statSync } from 'node:fs'
import {
  connect as connectTls,
  createSecureContext,
  rootCertificates,
  type SecureContext,
  type TLSSocket,
} from 'node:tls'
import { isAddress } from '#core'
import { FaultError } from './looked'

/** A connection that is ready to be spoken over; it ends with `stop`. */
export function connectTo(address: string, port: number, stop: AbortSignal): Promise<Socket> {
  return new Promise((resolve, reject) => {
    const socket = connectPlain({ host: address, port })
    const end = () => socket.destroy()
    stop.addEventListener('abort', end, { once: true })
    socket.once('connect', () => {
      resolve(socket)
    })
    socket.on('error', reject)
    socket.once('close', () => {
      stop.removeEventListener('abort', end)
      reject(new FaultError('closed'))
    })
  })
}

/** What the system trusts beside what comes with Node: an authority of the house is there, where it is anywhere. */
const systemFile = '/etc/ssl/certs/ca-certificates.crt'
let trusted: { mark: string; context: SecureContext } | null = null
export function trustedContext(): SecureContext {
  const mark = existsSync(systemFile) ? String(statSync(systemFile).mtimeMs) : ''
  if (trusted?.mark !== mark) {
    const system = mark ? [readFileSync(systemFile, 'utf8')] : []
    trusted = { mark, context: createSecureContext({ ca: [...rootCertificates, ...system] }) }
  }
  return trusted.context
}

/**
 * An encrypted connection over another, whatever its certificate: whoever asked looks at that.
 * @param name that is asked for and that the certificate may be of; none is asked for by an address (RFC 6066)
 */
export function encrypted(socket: Socket, name: string): Promise<TLSSocket> {
  return new Promise((resolve, reject) => {
    const secure = connectTls({
      socket,
      ...(isAddress(name) || !name ? {} : { servername: name }),
      secureContext: trustedContext(),
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
    })
    secure.once('secureConnect', () => {
      resolve(secure)
    })
    secure.on('error', reject)
    secure.once('close', () => {
      reject(new FaultError('closed'))
    })
  })
}
