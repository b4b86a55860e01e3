import { X509Certificate } from 'node:crypto'
import { existsSync, readFileSync, statSync } from 'node:fs'
import { Agent as PlainAgent } from 'node:http'
import { Agent as TlsAgent, type RequestOptions } from 'node:https'
import { isIPv4 } from 'node:net'
import { checkServerIdentity, createSecureContext, type SecureContext } from 'node:tls'
import { HttpsProxyAgent } from 'https-proxy-agent'
import { getProxyForUrl } from 'proxy-from-env'

/** How the server is reached from here. */
export interface Way {
  server: string
  /** Certificates of the only authorities that it may show one of (PEM); without, the system's store decides. */
  ca?: string
  /** The proxy that leads there (CONNECT, RFC 9110, section 9.3.6). */
  proxy?: string
}

function isLoopback(host: string): boolean {
  return host === 'localhost' || host === '[::1]' || (isIPv4(host) && host.startsWith('127.'))
}

/**
 * The address of a server that secrets may be sent to.
 * @throws Error with what to do: it is no address, or speaks plain HTTP with another machine
 */
export function requireSafe(server: string): URL {
  const url = URL.canParse(server) ? new URL(server) : null
  if (!url || !/^https?:$/.test(url.protocol))
    throw new Error(`“${server}” is no address of a server. It looks like https://custode.example`)
  if (url.protocol === 'http:' && !isLoopback(url.hostname))
    throw new Error(
      `${url.origin} speaks plain HTTP: on the way everybody could read the keys and change what is asked of this machine. Use the server’s https address; plain HTTP is only for a server on this machine itself.`,
    )
  return url
}

// Where Linux distributions keep the certificates that the machine trusts (the list of Go's crypto/x509,
// root_linux.go).
const stores = [
  '/etc/ssl/certs/ca-certificates.crt',
  '/etc/pki/tls/certs/ca-bundle.crt',
  '/etc/ssl/ca-bundle.pem',
  '/etc/pki/ca-trust/extracted/pem/tls-ca-bundle.pem',
  '/etc/ssl/cert.pem',
]

/**
 * The system's store as one text; undefined where there is none (Windows, say): then the list that came with the
 * runtime counts.
 */
function systemStore(): string | undefined {
  const file = [process.env.SSL_CERT_FILE, ...stores].find((store) => store && existsSync(store))
  return file === undefined ? undefined : readFileSync(file, 'utf8')
}

const longestCa = 1_000_000

/** Certificates out of a file. @throws Error when it holds none */
export function readCa(file: string): string {
  if (!existsSync(file)) throw new Error(`there is no file ${file}`)
  const text = statSync(file).size <= longestCa ? readFileSync(file, 'utf8') : ''
  const found = text.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? []
  for (const url of found) {
    try {
      new X509Certificate(url)
    } catch {
      throw new Error(`${file} holds something that is no certificate`)
    }
  }
  if (!found.length)
    throw new Error(`${file} holds no certificate in PEM (between BEGIN CERTIFICATE and END CERTIFICATE)`)
  return found.join('\n')
}

/** How to reach a server with what was given, and what the environment says of proxies (https_proxy, no_proxy). */
export function wayTo(server: string, ca: string | undefined, proxy = getProxyForUrl(server)): Way {
  if (proxy && !/^https?:\/\//.test(proxy))
    throw new Error(`“${proxy}” is no address of a proxy. It looks like http://proxy.example:3128`)
  return {
    server,
    ...(ca === undefined ? {} : { ca }),
    ...(proxy && requireSafe(server).protocol === 'https:' ? { proxy } : {}),
  }
}

/** One for each way, so that connections are kept and certificates are read once; the newest is enough. */
let kept: { mark: string; options: WayOptions } | null = null

interface WayOptions extends RequestOptions {
  secureContext?: SecureContext
}

/** What a request to an address that is safe has to be made with. */
export function optionsFor({ protocol, hostname }: URL, way: Way): WayOptions {
  if (protocol === 'http:') return { agent: plain }
  const mark = JSON.stringify([hostname, way.ca, way.proxy])
  if (kept?.mark === mark) return kept.options
  const secureContext = createSecureContext({ ca: way.ca ?? systemStore() })
  const agent = way.proxy ? new HttpsProxyAgent(way.proxy, { keepAlive: true }) : new TlsAgent({ keepAlive: true })
  kept = {
    mark,
    options: {
      agent,
      secureContext,
      // Through a proxy, Node would not know whose certificate it should be where the host is an address.
      checkServerIdentity: (_, certificate) => checkServerIdentity(hostname.replace(/[[\]]/g, ''), certificate),
    },
  }
  return kept.options
}
const plain = new PlainAgent({ keepAlive: true })

/** By the codes of OpenSSL and Node, what is wrong with a certificate, and what to do; null: something else is. */
export function troubleWithTls(code: string | undefined): string | null {
  switch (code) {
    case 'UNABLE_TO_GET_ISSUER_CERT_LOCALLY':
    case 'UNABLE_TO_VERIFY_LEAF_SIGNATURE':
    case 'SELF_SIGNED_CERT_IN_CHAIN':
    case 'DEPTH_ZERO_SELF_SIGNED_CERT':
    case 'UNABLE_TO_GET_ISSUER_CERT':
      return 'its certificate is of an authority that this machine does not trust: add that to the system’s store, or install with --ca FILE'
    case 'CERT_HAS_EXPIRED':
      return 'its certificate has expired, or the clock of this machine is wrong'
    case 'CERT_NOT_YET_VALID':
      return 'its certificate is not valid yet: the clock of this machine is wrong'
    case 'ERR_TLS_CERT_ALTNAME_INVALID':
      return 'its certificate is for another name than the one in this address'
    case 'EPROTO':
    case 'ERR_SSL_WRONG_VERSION_NUMBER':
      return 'what answers there does not speak TLS'
    default:
      return null
  }
}
