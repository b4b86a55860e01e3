import type { ClientId } from '../units'
import { sameAddress } from './mailKind'

export interface KnownAddress {
  clientId: ClientId
  email: string
}
export interface KnownDomain {
  clientId: ClientId
  domain: string
}

/**
 * The client whose person writes from an address: the one that knows it, else the one whose domain it is of. Where two
 * clients do, nobody knows. An address can be forged: it says whom to think of, and gives nobody a right.
 *
 * @example
 * whoWrote('bo@mail.tidemill.example', [], [{ clientId: 1, domain: 'tidemill.example' }]) // 1
 */
export function whoWrote(
  address: string,
  known: readonly KnownAddress[],
  domains: readonly KnownDomain[],
): ClientId | null {
  const byAddress = new Set(known.filter(({ email }) => sameAddress(email, address)).map(({ clientId }) => clientId))
  if (byAddress.size) return byAddress.size === 1 ? [...byAddress][0]! : null
  const host = address.slice(address.lastIndexOf('@') + 1).toLowerCase()
  const within = domains
    .map(({ clientId, domain }) => ({ clientId, domain: domain.toLowerCase() }))
    .filter(({ domain }) => host === domain || host.endsWith(`.${domain}`))
  const longest = Math.max(0, ...within.map(({ domain }) => domain.length))
  const nearest = new Set(within.filter(({ domain }) => domain.length === longest).map(({ clientId }) => clientId))
  return nearest.size === 1 ? [...nearest][0]! : null
}
