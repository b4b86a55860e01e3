import type { ClientId, DeviceId, RoleId, SiteId } from '../units'
import type { DeviceKind, OsFamily } from './facts'

/** What decides which policies and windows reach a device. */
export interface DeviceTraits {
  id: DeviceId
  clientId: ClientId
  siteId: SiteId
  kind: DeviceKind
  osFamily: OsFamily
  roles: readonly RoleId[]
  tags: readonly string[]
}

export type Target =
  | { on: 'everyone' }
  | { on: 'kind'; kind: DeviceKind }
  | { on: 'os'; osFamily: OsFamily }
  | { on: 'role'; role: RoleId }
  | { on: 'client'; clientId: ClientId }
  | { on: 'site'; siteId: SiteId }
  | { on: 'tag'; tag: string }
  | { on: 'devices'; deviceIds: readonly DeviceId[] }

export type TargetClass = Target['on']

/** How specific a target is; the greater wins: chosen device > tag > site > client > role > kind and OS > everyone. */
export const specificity: Record<TargetClass, number> = { everyone: 0, kind: 1, os: 1, role: 2, client: 3, site: 4, tag: 5, devices: 6 }

export function targets(target: Target, device: DeviceTraits): boolean {
  switch (target.on) {
    case 'everyone': return true
    case 'kind': return target.kind === device.kind
    case 'os': return target.osFamily === device.osFamily
    case 'role': return device.roles.includes(target.role)
    case 'client': return target.clientId === device.clientId
    case 'site': return target.siteId === device.siteId
    case 'tag': return device.tags.includes(target.tag)
    case 'devices': return target.deviceIds.includes(device.id)
  }
}
