import { existsSync, readFileSync } from 'node:fs'
import { cpus, hostname } from 'node:os'
import type { System } from '#core'
import { serviceManager } from './services'

export const agentVersion = '0.1.0'

/** PRETTY_NAME of os-release(5), without the code name in brackets. */
export function osName(): string {
  const text = existsSync('/etc/os-release') ? readFileSync('/etc/os-release', 'utf8') : ''
  return (/^PRETTY_NAME="?([^"\n]*)"?$/m.exec(text)?.[1] ?? 'Linux').replace(/^Debian GNU\/Linux/, 'Debian').replace(/ \(.*\)$/, '')
}

export function systemFacts(): System {
  return { osFamily: 'linux', osName: osName(), hostName: hostname(), cores: cpus().length, agentVersion, serviceManager: serviceManager() }
}
