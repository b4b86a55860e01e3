import { existsSync, readFileSync } from 'node:fs'
import { cpus, hostname, networkInterfaces, version } from 'node:os'
import type { System } from '#core'
import { onWindows, placeAt } from '../install/place'
import { mayOnlyLook, startedByStarter } from '../updates/starter'
import { agentVersion } from '../version'
import { windowsPlace } from '../install/windows'
import { serviceManager } from './linux/services'

/** PRETTY_NAME of os-release(5), without the code name in brackets. */
export function osName(): string {
  if (onWindows)
    return version()
      .replace(/^Microsoft /, '')
      .slice(0, 120)
  const text = existsSync('/etc/os-release') ? readFileSync('/etc/os-release', 'utf8') : ''
  return (/^PRETTY_NAME="?([^"\n]*)"?$/m.exec(text)?.[1] ?? 'Linux')
    .replace(/^Debian GNU\/Linux/, 'Debian')
    .replace(/ \(.*\)$/, '')
}

/** Addresses of this machine; those of loopback and of the link alone (RFC 4291, section 2.5.6) tell nothing. */
export function ownAddresses(): string[] {
  return Object.values(networkInterfaces())
    .flatMap((network) => network ?? [])
    .filter((address) => !address.internal && !address.address.startsWith('fe80:'))
    .map((address) => address.address)
    .slice(0, 64)
}

/** @param remediates it has the right to start and stop services here, and was not installed to look only */
export function systemFacts(takesTasks: boolean, optional: readonly string[], remediates: boolean): System {
  const here = onWindows
    ? { osFamily: 'windows' as const, serviceManager: 'windows', startsAtBoot: existsSync(windowsPlace().task) }
    : { osFamily: 'linux' as const, serviceManager: serviceManager(), startsAtBoot: existsSync(placeAt('').wanted) }
  return {
    ...here,
    osName: osName(),
    hostName: hostname(),
    cores: cpus().length,
    agentVersion,
    takesTasks,
    optional: [...optional],
    updatable: takesTasks && startedByStarter() && !mayOnlyLook({}),
    remediates: takesTasks && remediates,
    addresses: ownAddresses(),
  }
}
