import type { IPv4 } from 'ipaddr.js'
import { contains, readNetwork } from '../../estate'

/** More addresses than this are not swept at once: 2 to the power of 12, a /20. */
export const largestSweep = 4096

/** What is looked at, by IANA's Service Name and Transport Protocol Port Number Registry. */
export const sweptPorts: Readonly<Record<number, string>> = {
  22: 'ssh',
  80: 'http',
  135: 'epmap',
  139: 'netbios-ssn',
  443: 'https',
  445: 'microsoft-ds',
  515: 'printer',
  631: 'ipp',
  3389: 'ms-wbt-server',
  5985: 'wsman',
  5986: 'wsmans',
  9100: 'pdl-datastream',
}

/** Why a range may not be swept, as a sentence that says what to do, or null. */
export function sweepFault(range: string, declared: readonly string[]): string | null {
  const network = readNetwork(range)
  if (!network)
    return `“${range}” is no range. Write it in CIDR notation, like 192.0.2.0/24, with the bits of the host at zero.`
  const total = network.base.kind() === 'ipv4' ? 32 : 128
  if (2 ** (total - network.bits) > largestSweep)
    return `${range} is too large: at most ${largestSweep} addresses are swept at once, a /${total - Math.log2(largestSweep)}. Sweep it in parts.`
  if (!declared.length)
    return 'This site declares no networks. Declare them under Newcomers first: nothing else may be swept.'
  if (
    !declared.some((candidate) => {
      const outer = readNetwork(candidate)
      return outer !== null && contains(outer, network)
    })
  )
    return `${range} is not within the networks of this site (${declared.join(', ')}). What belongs to others is not swept.`
  return null
}

/**
 * The addresses of hosts in an IPv4 network, in order; the network's own and the broadcast address are none (RFC 1122,
 * section 3.2.1.3), but for /31 (RFC 3021) and /32.
 */
export function hostsOf(range: string): string[] {
  const network = readNetwork(range)
  if (!network || network.base.kind() !== 'ipv4') return []
  const size = 2 ** (32 - network.bits)
  const base = (network.base as IPv4).toByteArray().reduce((sum, byte) => sum * 256 + byte, 0)
  const [first, last] = size > 2 ? [1, size - 2] : [0, size - 1]
  return Array.from({ length: last - first + 1 }, (_, i) => {
    const n = base + first + i
    return [24, 16, 8, 0].map((shift) => Math.floor(n / 2 ** shift) % 256).join('.')
  })
}

/**
 * What came of signing in at a host. `trial`: the sign-in that worked; null: none did. `system`: what it says that it
 * is. `agent`: whether an agent is installed there, reporting or not.
 */
export interface SignedIn {
  trial: number | null
  system: string
  agent: boolean
  hostKey: string | null
  reason: string
}
export interface Answering {
  address: string
  name: string | null
  ports: number[]
  banner: string | null
  signedIn?: SignedIn | null
}
export type Seems = 'Linux or Unix' | 'Windows' | 'printer' | 'network gear' | 'something with a web page' | 'something'

/**
 * What a host seems to be by what it answers; a guess, and said as one. Its SSH banner is that of RFC 4253, section
 * 4.2.
 */
export function seemsToBe({ ports, banner }: Answering): Seems {
  const has = (...wanted: number[]) => wanted.some((port) => ports.includes(port))
  if (/windows/i.test(banner ?? '') || has(135, 3389, 5985, 5986)) return 'Windows'
  if (has(9100, 515) || (has(631) && !has(22))) return 'printer'
  if (has(22)) return /debian|ubuntu|openssh/i.test(banner ?? '') ? 'Linux or Unix' : 'network gear'
  if (has(445, 139)) return 'Windows'
  return has(80, 443) ? 'something with a web page' : 'something'
}
