import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import type { AgentSettings, CollectSettings } from '#contract/report'
import { readJson, writeWhole } from '#files'
import type { Way } from '../uplink'

/** What an agent is, and how its server is reached. */
export interface Identity extends Way {
  deviceId: number
  deviceKey: string
  name: string
  interval: number
  /** Absent on machines that were enrolled before tasks were signed: they take none. */
  serverKey?: string
  /** What to collect beyond the ordinary. */
  collect?: CollectSettings
  /** Collectors with a time of their own. */
  every?: AgentSettings['every']
  /** Mark of the roster that it works by. */
  roster?: string
  /** It was installed never to change anything on its machine. */
  looksOnly?: boolean
}

const fileOf = (home: string) => join(home, 'identity.json')
/** Without its identity an agent is lost for good, so there is a second copy, in case one is damaged. */
const copyOf = (home: string) => join(home, 'identity.copy.json')

function isIdentity(value: unknown): boolean {
  const { server, deviceKey, interval } = (value ?? {}) as Partial<Identity>
  return typeof server === 'string' && typeof deviceKey === 'string' && typeof interval === 'number'
}

/** The identity, by its first copy that can be read; null where there is none. */
export function readIdentity(home: string): Identity | null {
  return readJson<Identity>(fileOf(home), isIdentity) ?? readJson<Identity>(copyOf(home), isIdentity)
}

/** The identity, both copies of it whole again where one was damaged. */
export function repairIdentity(home: string): Identity | null {
  const identity = readIdentity(home)
  if (identity && [fileOf(home), copyOf(home)].some((file) => readJson(file, isIdentity) === null)) {
    try {
      writeIdentity(home, identity)
    } catch {
      // No room: the copy that is whole is enough for now.
    }
  }
  return identity
}

export function writeIdentity(home: string, identity: Identity): void {
  mkdirSync(home, { recursive: true, mode: 0o700 })
  const text = JSON.stringify(identity, null, 2)
  writeWhole(fileOf(home), text)
  writeWhole(copyOf(home), text)
}

export { fileOf as identityFile }
