import type { IncomingMessage } from 'node:http'
import { isAddress, matchesPattern, type ProbeAsk, type ProbeCheck } from '#core'
import { getPage } from '../getPage'
import { trustedContext } from './connect'
import { FaultError, failed, TroubleError, type Looked } from './looked'
import { addressOf } from './resolve'
import type { Way } from './way'

type Page = Extract<ProbeCheck, { check: 'page' }>

/** Of a page so much is read. */
const mostRead = 1024 * 1024
const mostSteps = 5

/** A page, wherever it leads. */
export async function pageLooked(
  page: Page,
  { address, host, stop }: Way,
  bounds: ProbeAsk['bounds'],
): Promise<Partial<Looked>> {
  const written = host.includes(':') ? `[${host}]` : host
  let url = new URL(`${page.secure ? 'https' : 'http'}://${written}:${page.port}${page.path}`)
  let at = address
  for (let step = 0; ; step++) {
    const { status, to, text, size } = await get(url, at, page.trusted, stop)
    if (page.follow && to !== null && status >= 300 && status < 400) {
      if (step === mostSteps)
        throw new FaultError('redirect', `more than ${mostSteps} others one after the other, the last of`)
      url = nextOf(to, url)
      at = await addressAllowed(url, bounds)
      continue
    }
    if (!page.status.some(([first, last]) => status >= first && status <= last))
      throw new FaultError('status', String(status))
    if (page.words && !matchesPattern(`*${page.words}*`, text.replace(/\s+/gu, ' '))) throw new FaultError('words')
    if (page.least !== null && size < page.least) throw new FaultError('small', String(size))
    if (page.most !== null && size > page.most) throw new FaultError('large', String(size))
    return { size, detail: String(status), address: at }
  }
}

function nextOf(to: string, from: URL): URL {
  if (!URL.canParse(to, from.href)) throw new FaultError('redirect', to)
  const next = new URL(to, from)
  if (!['http:', 'https:'].includes(next.protocol)) throw new FaultError('redirect', next.origin)
  return next
}

const hostOf = ({ hostname }: URL) => hostname.replace(/^\[|\]$/g, '')

async function addressAllowed(url: URL, bounds: ProbeAsk['bounds']): Promise<string> {
  try {
    return await addressOf(hostOf(url), bounds)
  } catch (error) {
    // That it leads there is its doing.
    throw error instanceof TroubleError ? new FaultError('redirect', url.host) : error
  }
}

interface Got {
  status: number
  to: string | null
  text: string
  size: number
}

/** @param address what is connected to, whatever the name in the URL leads to */
async function get(url: URL, address: string, trusted: boolean, stop: AbortSignal): Promise<Got> {
  const options =
    url.protocol === 'https:'
      ? {
          servername: isAddress(hostOf(url)) ? '' : hostOf(url),
          secureContext: trustedContext(),
          rejectUnauthorized: trusted,
        }
      : {}
  const response = await getPage(url, address, stop, options).catch((error: Error) => {
    throw explained(error)
  })
  return read(response)
}

/** What OpenSSL says of a certificate, as what it is. */
function explained(error: NodeJS.ErrnoException): Error {
  const { code = '' } = error
  if (code === 'CERT_HAS_EXPIRED') return new FaultError('expired')
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID') return new FaultError('name')
  const isOfChain = /CERT|CRL|ISSUER|SIGNATURE|SELF_SIGNED/.test(code) && !code.startsWith('ERR_')
  return isOfChain && failed(error).fault === 'other' ? new FaultError('untrusted', code) : error
}

async function read(response: IncomingMessage): Promise<Got> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of response as AsyncIterable<Buffer>) {
    chunks.push(chunk.subarray(0, mostRead - size))
    size += chunks.at(-1)!.length
    if (size >= mostRead) break
  }
  response.destroy()
  return {
    status: response.statusCode ?? 0,
    to: response.headers.location ?? null,
    text: textOf(Buffer.concat(chunks), response.headers['content-type'] ?? ''),
    size,
  }
}

function textOf(bytes: Buffer, type: string): string {
  const charset = /charset="?([\w-]+)/i.exec(type)?.[1] ?? 'utf-8'
  try {
    return new TextDecoder(charset).decode(bytes)
  } catch {
    return bytes.toString('utf8')
  }
}
