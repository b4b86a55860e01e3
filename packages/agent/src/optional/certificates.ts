import { existsSync, readFileSync } from 'node:fs'
import { connect } from 'node:tls'
import type { Millis, Reading } from '#core'
import { steady } from '../clock'
import type { Collect } from '../collectors/collector'
import { parseSockets } from '../collectors/linux/software'

/**
 * Ports at which a handshake of TLS comes first (IANA's Service Name and Transport Protocol Port Number Registry), and
 * their usual neighbours.
 */
const ports = [443, 465, 563, 636, 853, 989, 990, 992, 993, 995, 5061, 5986, 6443, 8443, 9443]
const patience: Millis = 5000
/** Half a renewal's hold: a new one is noticed soon, and nobody's log fills with handshakes. */
const checkAgain: Millis = 5 * 60_000

/** When the certificate that a port shows ends (notAfter), in milliseconds since 1970; null when it shows none. */
export function certificateEnd(port: number, host = '127.0.0.1'): Promise<Millis | null> {
  return new Promise((resolve) => {
    const done = (end: Millis | null) => {
      socket.destroy()
      resolve(end)
    }
    // Whoever signed it, and for whatever name: here only its end counts.
    const socket = connect({ port, host, rejectUnauthorized: false, timeout: patience }, () => {
      const end = Date.parse(socket.getPeerCertificate().valid_to)
      done(Number.isFinite(end) ? end : null)
    })
    socket.on('error', () => done(null))
    socket.on('timeout', () => done(null))
  })
}

function listening(): number[] {
  const tables = ['/proc/net/tcp', '/proc/net/tcp6']
    .filter((file) => existsSync(file))
    .map((file) => readFileSync(file, 'utf8'))
  const open = new Set(tables.flatMap((table) => parseSockets(table, 'tcp')).map((port) => port.port))
  return ports.filter((port) => open.has(port))
}

/** How long the certificates that this machine shows stay valid, in seconds, by port. */
export function collector(): Collect {
  let ends: [port: number, end: Millis][] = []
  let lookedAt: Millis | null = null
  return {
    name: 'certificates',
    async collect(now) {
      if (lookedAt === null || steady() - lookedAt >= checkAgain) {
        lookedAt = steady()
        ends = []
        for (const port of listening()) {
          const end = await certificateEnd(port)
          if (end !== null) ends.push([port, end])
        }
      }
      return {
        readings: ends.map(([port, end]): Reading => [
          'certificate.left',
          String(port),
          Math.round((end - now) / 1000),
        ]),
      }
    },
  }
}
