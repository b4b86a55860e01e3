import ipaddr, { type IPv4, type IPv6 } from 'ipaddr.js'
import type { SiteId } from '../units'

type Address = IPv4 | IPv6
export interface Network {
  base: Address
  bits: number
}

/**
 * Reads a network in CIDR notation (RFC 4632 and RFC 4291, section 2.3).
 * @returns null when it is none, or when bits of the host are set: 10.0.0.7/24 may be a slip for 10.0.0.0/24
 */
export function readNetwork(text: string): Network | null {
  try {
    const [base, bits] = ipaddr.parseCIDR(text.trim())
    const { IPv4, IPv6 } = ipaddr
    const network = (base.kind() === 'ipv4' ? IPv4 : IPv6).networkAddressFromCIDR(text.trim())
    return network.toString() === base.toString() ? { base, bits } : null
  } catch {
    return null
  }
}

export function inNetwork(address: string, network: Network): boolean {
  try {
    const parsed = ipaddr.parse(address)
    return parsed.kind() === network.base.kind() && parsed.match(network.base as IPv4, network.bits)
  } catch {
    return false
  }
}

/** Whether all of a network lies within another. */
export function contains(outer: Network, inner: Network): boolean {
  return inner.bits >= outer.bits && inNetwork(inner.base.toString(), outer)
}

export interface DeclaredNetworks {
  siteId: SiteId
  networks: readonly string[]
}
export type Placement = { siteId: SiteId } | { siteId: null; reason: string }

/**
 * The site that an address belongs to: the narrowest declared network wins. Private networks (RFC 1918) are the same at
 * many clients, so that two sites may declare one; then nobody can tell, and the reason says so.
 */
export function placeByAddress(addresses: readonly string[], sites: readonly DeclaredNetworks[]): Placement {
  let best: { siteId: SiteId; bits: number; text: string } | null = null
  let rival: string | null = null
  for (const { siteId, networks } of sites)
    for (const text of networks) {
      const network = readNetwork(text)
      if (!network || !addresses.some((address) => inNetwork(address, network))) continue
      if (!best || network.bits > best.bits) [best, rival] = [{ siteId, bits: network.bits, text }, null]
      else if (network.bits === best.bits && best.siteId !== siteId) rival = text
    }
  if (!best)
    return {
      siteId: null,
      reason: `No site declares a network that holds ${addresses.join(' or ') || 'its address, which it did not tell'}.`,
    }
  if (rival !== null)
    return {
      siteId: null,
      reason: `More than one site declares ${rival}, so the address does not tell which. Use a key of the site.`,
    }
  return { siteId: best.siteId }
}
