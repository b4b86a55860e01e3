import type { ClientId, SiteId } from '../units'
import { isGroup, type Target } from './target'

/**
 * A target that speaks of the sites of a client where it spoke of the client itself: it reaches the same devices once
 * these sites are another client’s. Without sites it stays as it is, and reaches nothing.
 *
 * @example
 * withoutClient({ on: 'client', clientId: 1 }, 1, [4, 5])
 * // { on: 'any', of: [{ on: 'site', siteId: 4 }, { on: 'site', siteId: 5 }] }
 */
export function withoutClient(target: Target, clientId: ClientId, siteIds: readonly SiteId[]): Target {
  if (isGroup(target)) return { ...target, of: target.of.map((part) => withoutClient(part, clientId, siteIds)) }
  if (target.on !== 'client' || target.clientId !== clientId || !siteIds.length) return target
  const sites = siteIds.map((siteId): Target => ({ on: 'site', siteId }))
  return sites.length === 1 ? sites[0]! : { on: 'any', of: sites }
}
