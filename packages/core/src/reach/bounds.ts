import ipaddr from 'ipaddr.js'
import { inNetwork, readNetwork } from '../estate'
import { matchesPattern } from '../text'

/** Where the devices of a site may look, beside themselves: what somebody who may say so has said. */
export interface ReachBounds {
  /** Networks in CIDR notation. */
  networks: readonly string[]
  /** Names, with * for any run of characters: shop.example, *.shop.example. */
  names: readonly string[]
}

const label = /^[\p{L}\p{N}_]([\p{L}\p{N}_-]{0,61}[\p{L}\p{N}_])?$/u

/** Whether a text is a name that can be looked up (RFC 1123, section 2.1, with the underscores that there are). */
export const isHostName = (text: string): boolean =>
  text.length <= 253 && /\p{L}|_/u.test(text) && text.split('.').every((part) => label.test(part))

const parsed = (text: string) => {
  try {
    return ipaddr.process(text)
  } catch {
    return null
  }
}
export const isAddress = (text: string): boolean => ipaddr.isValid(text) && /[.:]/.test(text)

/** An address as it is compared: IPv4 in IPv6 is IPv4; null: it is none. */
export const plainAddress = (text: string): string | null => parsed(text)?.toString() ?? null

/** What a site's own list of addresses comes to. @param named each an address, a network, or a name */
export function boundsOf(networks: readonly string[], named: readonly string[]): ReachBounds {
  const found = { networks: [...networks], names: [] as string[] }
  for (const text of named) {
    if (readNetwork(text)) found.networks.push(text)
    else if (isAddress(text)) {
      const plain = plainAddress(text)!
      found.networks.push(`${plain}/${plain.includes(':') ? 128 : 32}`)
    } else found.names.push(text.toLowerCase())
  }
  return found
}

/** Why an entry of that list is none, as a sentence; null: it is one. */
export function namedFault(text: string): string | null {
  if (readNetwork(text) || isAddress(text)) return null
  const name = text.startsWith('*.') ? text.slice(2) : text
  return isHostName(name) && name.includes('.')
    ? null
    : `“${text}” is neither an address (198.51.100.7), nor a network (198.51.100.0/24), nor a name (shop.example, *.shop.example).`
}

/**
 * Addresses that no name outside may lead to: of the device that looks, of its link, of networks that nobody declared,
 * of nobody, and those that hold another address within.
 */
const inward = new Set([
  'loopback',
  'linkLocal',
  'private',
  'carrierGradeNat',
  'uniqueLocal',
  'unspecified',
  'multicast',
  'broadcast',
  'rfc6052',
  'rfc6145',
  '6to4',
  'teredo',
])

/** Whether an address may be looked at. @param name what led to it, where it was not written as an address */
export function mayReach(address: string, bounds: ReachBounds, name: string | null = null): boolean {
  const plain = parsed(address)
  if (!plain) return false
  if (bounds.networks.some((text) => within(plain.toString(), text))) return true
  return name !== null && isNamed(name, bounds) && !inward.has(plain.range())
}

function within(address: string, text: string): boolean {
  const network = readNetwork(text)
  return network !== null && inNetwork(address, network)
}

export const isNamed = (name: string, { names }: ReachBounds): boolean =>
  names.some((pattern) => matchesPattern(pattern, name.toLowerCase().replace(/\.$/, '')))

/**
 * Whether a host may be looked at, as far as that can be said before its name is looked up.
 * @returns 'resolve': by the address that its name leads to
 */
export function reachOf(host: string, bounds: ReachBounds): 'yes' | 'no' | 'resolve' {
  if (isAddress(host)) return mayReach(host, bounds) ? 'yes' : 'no'
  if (isNamed(host, bounds)) return 'yes'
  return bounds.networks.length ? 'resolve' : 'no'
}
