import { Resolver } from 'node:dns/promises'
import { checkServerIdentity, type TLSSocket } from 'node:tls'
import { matchesPattern, plainAddress, type ProbeAsk, type ProbeCheck } from '#core'
import { steady } from '../clock'
import { connectTo, encrypted } from './connect'
import { FaultError, type Looked } from './looked'
import { pageLooked } from './page'
import { pinged } from './ping'
import type { Way } from './way'

type Of<C extends ProbeCheck['check']> = Extract<ProbeCheck, { check: C }>

/**
 * One look. Throws what is wrong: a FaultError, a TroubleError, or what the system says.
 * @param address that its host leads to, as `addressOf` has it
 * @param stop ends what is under way
 */
export async function look(
  { host, check, pace, bounds }: ProbeAsk,
  address: string,
  stop: AbortSignal,
): Promise<Looked> {
  const began = steady()
  const found = await one(check, { address, host, timeout: pace.timeout, stop }, bounds)
  return { time: steady() - began, address, ...found, outcome: 'good' }
}

function one(check: ProbeCheck, way: Way, bounds: ProbeAsk['bounds']): Promise<Partial<Looked>> {
  switch (check.check) {
    case 'port':
      return portLooked(check, way)
    case 'page':
      return pageLooked(check, way, bounds)
    case 'certificate':
      return certificateLooked(check, way)
    case 'name':
      return nameLooked(check, way)
    case 'ping':
      return pinged(check, way)
    case 'mail':
      return greetingLooked(check, way)
  }
}

async function portLooked({ port }: Of<'port'>, { address, stop }: Way): Promise<Partial<Looked>> {
  ;(await connectTo(address, port, stop)).destroy()
  return {}
}

/** Why a chain is not trusted, by OpenSSL's own word for it; null: it is. */
function distrust(socket: TLSSocket): string | null {
  // Set where it could not be verified; typed as an error, and a code in fact.
  return socket.authorized ? null : String(socket.authorizationError)
}

async function certificateLooked(
  { port, name, trusted, named }: Of<'certificate'>,
  { address, host, stop }: Way,
): Promise<Partial<Looked>> {
  const wanted = name || host
  const socket = await encrypted(await connectTo(address, port, stop), wanted)
  try {
    const certificate = socket.getPeerCertificate()
    const expires = Date.parse(certificate.valid_to)
    if (!Number.isFinite(expires)) throw new FaultError('tls', 'it shows no certificate')
    const why = distrust(socket)
    if (why === 'CERT_HAS_EXPIRED') throw new FaultError('expired')
    if (trusted && why !== null) throw new FaultError('untrusted', why)
    if (named && checkServerIdentity(plainAddress(wanted) ?? wanted, certificate))
      throw new FaultError('name', namesOf(certificate.subjectaltname ?? ''))
    return { expires }
  } finally {
    socket.destroy()
  }
}
const namesOf = (alternatives: string) => alternatives.replace(/(?:DNS|IP Address):/gu, '')

const dnsFaults: Readonly<Record<string, [fault: 'timeout' | 'refused' | 'answer', detail: string]>> = {
  ETIMEOUT: ['timeout', ''],
  ECONNREFUSED: ['refused', ''],
  ENOTFOUND: ['answer', 'no such name'],
  ENODATA: ['answer', 'no such record'],
  ESERVFAIL: ['answer', 'a failure of the server'],
  EREFUSED: ['answer', 'a refusal'],
}

async function nameLooked({ port, name, type, expect }: Of<'name'>, way: Way): Promise<Partial<Looked>> {
  const resolver = new Resolver({ timeout: way.timeout, tries: 1 })
  resolver.setServers([way.address.includes(':') ? `[${way.address}]:${port}` : `${way.address}:${port}`])
  const end = () => {
    resolver.cancel()
  }
  way.stop.addEventListener('abort', end, { once: true })
  const found = await resolver
    .resolve(name, type)
    .catch((error: unknown): never => {
      const [fault, detail] = dnsFaults[(error as NodeJS.ErrnoException).code ?? ''] ?? [
        'answer',
        (error as Error).message,
      ]
      throw new FaultError(fault, detail)
    })
    .finally(() => {
      way.stop.removeEventListener('abort', end)
    })
  const answers = (found as unknown[]).map(answerText)
  if (expect.some((pattern) => !answers.some((answer) => matchesPattern(pattern, answer))))
    throw new FaultError('answer', answers.join(', '))
  return { detail: answers.join(', ').slice(0, 200) }
}

/** A record as one writes it: the parts of a TXT put together, an MX as *10 mail.example*. */
function answerText(record: unknown): string {
  if (Array.isArray(record)) return record.join('')
  if (typeof record === 'object' && record !== null && 'exchange' in record) {
    const { priority, exchange } = record as { priority: number; exchange: string }
    return `${priority} ${exchange}`
  }
  return String(record)
}

const ready: Record<Of<'mail'>['protocol'], { greets: RegExp; farewell: string }> = {
  SMTP: { greets: /^220[ -]/, farewell: 'QUIT\r\n' },
  IMAP: { greets: /^\* (?:OK|PREAUTH)\b/i, farewell: 'a LOGOUT\r\n' },
  POP3: { greets: /^\+OK\b/i, farewell: 'QUIT\r\n' },
}
/** No greeting is longer: RFC 5321, section 4.5.3.1.5, allows a line 512. */
const longestGreeting = 4096

async function greetingLooked(
  { protocol, port, secure, words }: Of<'mail'>,
  { address, host, stop }: Way,
): Promise<Partial<Looked>> {
  const plain = await connectTo(address, port, stop)
  const socket = secure ? await encrypted(plain, host) : plain
  try {
    let greeting = ''
    for await (const piece of socket as AsyncIterable<Buffer>) {
      greeting += piece.toString('latin1')
      if (greeting.includes('\n') || greeting.length > longestGreeting) break
    }
    const [line = ''] = greeting.slice(0, longestGreeting).split(/\r?\n/)
    if (greeting === '') throw new FaultError('closed')
    if (!ready[protocol].greets.test(line)) throw new FaultError('greeting', line)
    if (words && !matchesPattern(`*${words}*`, line)) throw new FaultError('words')
    return { detail: line.slice(0, 200) }
  } finally {
    if (!socket.destroyed) socket.end(ready[protocol].farewell)
    plain.destroySoon()
  }
}
