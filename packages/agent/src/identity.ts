import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { AgentSettings, CollectSettings } from '#contract/report'

export interface Identity { server: string; deviceId: number; deviceKey: string; name: string; interval: number; /** Absent on machines that were enrolled before orders were signed: they take none. */ serverKey?: string; /** What to collect beyond the ordinary. */ collect?: CollectSettings; /** Collectors with a time of their own. */ every?: AgentSettings['every']; /** Mark of the roster that it works by. */ roster?: string; /** It was installed never to change anything on its machine. */ looksOnly?: boolean }

const fileOf = (home: string) => join(home, 'identity.json')

/** Written whole or not at all: a power cut leaves the old file or the new one. */
export function writeWhole(file: string, text: string): void {
  writeFileSync(`${file}.new`, text, { mode: 0o600 })
  renameSync(`${file}.new`, file)
}

export function readIdentity(home: string): Identity | null {
  return existsSync(fileOf(home)) ? (JSON.parse(readFileSync(fileOf(home), 'utf8')) as Identity) : null
}

export function writeIdentity(home: string, identity: Identity): void {
  mkdirSync(home, { recursive: true, mode: 0o700 })
  writeWhole(fileOf(home), JSON.stringify(identity, null, 2))
}

export { fileOf as identityFile }
