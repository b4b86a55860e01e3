import type { VersionDevice } from '#contract'
import { byVersion } from '#core'

export interface VersionCount {
  version: string
  total: number
  clients: { name: string; devices: number }[]
}

/** How many devices run each version, the newest first, with the clients that have most of them first. */
export function versionCounts(devices: readonly VersionDevice[]): VersionCount[] {
  const versions = new Map<string, Map<string, number>>()
  for (const { version, clientName } of devices) {
    const clients = versions.get(version) ?? new Map<string, number>()
    clients.set(clientName, (clients.get(clientName) ?? 0) + 1)
    versions.set(version, clients)
  }
  return [...versions]
    .sort(([a], [b]) => byVersion(b, a))
    .map(([version, clients]) => ({
      version,
      total: [...clients.values()].reduce((sum, count) => sum + count, 0),
      clients: [...clients]
        .map(([name, count]) => ({ name, devices: count }))
        .sort((a, b) => b.devices - a.devices || (a.name < b.name ? -1 : 1)),
    }))
}

/** Devices that an update to the version is for: they run another, and can go back. */
export function behind(devices: readonly VersionDevice[], version: string): VersionDevice[] {
  return devices.filter((device) => device.updatable && device.version !== version)
}
