import type { Millis } from '../units'
import type { ReachBounds } from './bounds'

export const dnsTypes = ['A', 'AAAA', 'CNAME', 'MX', 'NS', 'TXT', 'PTR'] as const
export type DnsType = (typeof dnsTypes)[number]
export const mailProtocols = ['SMTP', 'IMAP', 'POP3'] as const
export type MailProtocol = (typeof mailProtocols)[number]

/** What is looked at, from another device. A host is not part of it: see `ProbeAsk`. */
export type ProbeCheck =
  | { check: 'port'; port: number }
  | {
      check: 'page'
      secure: boolean
      port: number
      path: string
      /** First and last of each range that is well. */
      status: readonly (readonly [number, number])[]
      /** Words with * and ? that have to stand somewhere on it; empty: any page. */
      words: string
      follow: boolean
      /** Whether its certificate has to be valid. */
      trusted: boolean
      least: number | null
      most: number | null
    }
  | { check: 'certificate'; port: number; name: string; trusted: boolean; named: boolean }
  | { check: 'name'; port: number; name: string; type: DnsType; expect: readonly string[] }
  | { check: 'ping'; count: number; loss: number }
  | { check: 'mail'; protocol: MailProtocol; port: number; secure: boolean; words: string }

/** How a look is made and confirmed. */
export interface ProbePace {
  every: Millis
  /** From the first look that fails until it is confirmed, and from the first good one until that is. */
  recheck: Millis
  /** So many failed looks in a row count, and so many good ones. */
  confirm: number
  clears: number
  timeout: Millis
  /** Above it somebody waits: what crosses it is news. Null: nobody asks. */
  slow: Millis | null
}

/** What one device is asked to look at on another. */
export interface ProbeAsk {
  /** Changes with whatever is asked: what is told of an older ask says nothing of a newer one. */
  id: number
  /** A name or an address. */
  host: string
  check: ProbeCheck
  pace: ProbePace
  bounds: ReachBounds
}

/** What is looked at, in words: *port 443*, *SMTP at port 25*. Of a page without its query, which may hold secrets. */
export function checkName(check: ProbeCheck): string {
  switch (check.check) {
    case 'port':
      return `port ${check.port}`
    case 'page': {
      const port = check.port === (check.secure ? 443 : 80) ? '' : ` at port ${check.port}`
      return `${check.secure ? 'https' : 'http'} page ${check.path.replace(/[?#].*/su, '')}${port}`
    }
    case 'certificate':
      return `certificate at port ${check.port}${check.name && ` for ${check.name}`}`
    case 'name':
      return `${check.type} of ${check.name}`
    case 'ping':
      return 'ping'
    case 'mail':
      return `${check.protocol} at port ${check.port}`
  }
}

/** What the series of an ask are called: *port 443, shop.example*. */
export const probeName = (check: ProbeCheck, host: string): string => `${checkName(check)}, ${host}`
