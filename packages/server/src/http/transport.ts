import { X509Certificate } from 'node:crypto'
import { BlockList } from 'node:net'
import type { FastifyInstance, FastifyRequest } from 'fastify'
import { ProblemError } from './problems'

/** How machines and people reach this server: said by whoever runs it, and never taken from what a request says. */
export interface PublicAddress {
  /** Such as https://custode.example, without a path. */
  url: string
  /** Certificates (PEM) of the authority that has signed the server's, where machines do not know it by themselves. */
  ca: string | null
}

const loopback = new BlockList()
loopback.addSubnet('127.0.0.0', 8)
loopback.addAddress('::1', 'ipv6')

export function isLoopback(address: string): boolean {
  const plain = address.replace(/^::ffff:/, '').replace(/^localhost$/, '127.0.0.1')
  return loopback.check(plain, plain.includes(':') ? 'ipv6' : 'ipv4')
}

/** @throws Error with what to do */
export function readPublicAddress(text: string, ca: string | null = null): PublicAddress {
  const url = URL.canParse(text) ? new URL(text) : null
  if (!url || !/^https?:$/.test(url.protocol) || url.pathname !== '/' || url.search || url.hash || url.username)
    throw new Error(`“${text}” is no address of a server. Write it like https://custode.example`)
  if (url.protocol === 'http:' && !isLoopback(url.hostname.replace(/[[\]]/g, '')))
    throw new Error(
      `${url.origin} would carry passwords and keys in the open: write an https address, and give the server a certificate, or a proxy that has one.`,
    )
  // It stands in scripts that root runs.
  if (!/^[\w.:/[\]-]+$/.test(url.origin)) throw new Error(`“${text}” holds signs that are in no name of a host.`)
  return { url: url.origin, ca: ca === null ? null : certificatesOf(ca) }
}

/** Only the certificates of a file, without what else is written there: they go into scripts. */
function certificatesOf(text: string): string {
  const found = text.match(/-----BEGIN CERTIFICATE-----[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----/g) ?? []
  if (!found.length)
    throw new Error(
      'the file of the authority holds no certificate in PEM (between BEGIN CERTIFICATE and END CERTIFICATE)',
    )
  for (const certificate of found) new X509Certificate(certificate)
  return `${found.join('\n')}\n`
}

/**
 * Passwords and keys are taken over TLS only, or from this machine itself. Behind a proxy the client’s own connection
 * counts, as the proxy tells of it.
 */
export function refusePlainHttp(app: FastifyInstance): void {
  app.addHook('onRequest', async (request, reply) => {
    if (isSafe(request)) return
    void reply.header('connection', 'close')
    throw new ProblemError('needs-tls')
  })
  app.addHook('onSend', async (request, reply) => {
    if (request.protocol === 'https') void reply.header('strict-transport-security', 'max-age=31536000')
  })
}

/** What was found of the addresses that asked lately: looking into a list of networks costs more than all else here. */
const looked = new Map<string, boolean>()
const mostLooked = 10_000

function isSafe(request: FastifyRequest): boolean {
  if (request.protocol === 'https') return true
  const { ip } = request
  let safe = looked.get(ip)
  if (safe === undefined) {
    if (looked.size >= mostLooked) looked.clear()
    looked.set(ip, (safe = isLoopback(ip)))
  }
  return safe
}
