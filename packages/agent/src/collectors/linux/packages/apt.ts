import { closeSync, existsSync, lstatSync, openSync, readdirSync, readFileSync, readSync, statSync } from 'node:fs'
import { release } from 'node:os'
import { join } from 'node:path'
import { day, type Millis, type RefreshFailure } from '#core'
import { command } from '../../command'
import type { FoundUpdate, FoundUpdates, PackageManager } from '../../packageManager'
import type { Fetched } from './told'

/** A security archive by the names of its origin and suite: Debian-Security, or a suite that ends in -security. */
const isSecurityOrigin = (origin: string) => /Debian-Security:|[-/]security\b/i.test(origin)

/**
 * What apt's own simulation would do (apt-get(8), --simulate): a line `Inst NAME [OLD] (NEW ORIGIN…)` for each package
 * that would be upgraded, without [OLD] for one that would come new. An update is a security update when one of its
 * origins is a security archive.
 */
export function parseSimulation(output: string): FoundUpdate[] {
  return [...output.matchAll(/^Inst (\S+) \[([^\]]*)\] \((\S+) ([^)]*)\)/gm)].map(([, name, from, to, rest]) => {
    const origins = rest!
      .replace(/ \[[^\]]*\]$/, '')
      .split(',')
      .map((origin) => origin.trim())
    const security = origins.find(isSecurityOrigin)
    return { name: name!, from: from!, to: to!, origin: security ?? origins[0]!, security: security !== undefined }
  })
}

/** Of the same simulation: packages that would stay as they are although there is something newer. */
export function parseKept(output: string): string[] {
  const list = /^The following packages have been kept back:\n((?: +[^\n]*\n)*)/m.exec(output)?.[1]
  return list?.split(/\s+/).filter(Boolean) ?? []
}

/** `Remv NAME` for each that would go. */
export function parseLeftovers(output: string): string[] {
  return [...output.matchAll(/^Remv (\S+)/gm)].map((match) => match[1]!)
}

/** What apt-cache(8) policy says of a package. */
export interface Policy {
  name: string
  installed: string | null
  candidate: string | null
  /** Where the candidate comes from. */
  origin: string
  /** One of the versions above the installed one comes from a security archive. */
  security: boolean
}

/**
 * The output of `apt-cache policy NAME…`: in each version table newer versions stand above the installed one, which is
 * marked with ***, each followed by where it comes from. So a security update is told of although a newer version
 * without that mark has overtaken it.
 */
export function parsePolicies(output: string): Policy[] {
  return output.split(/^(?=\S[^\n]*:$)/m).flatMap((block): Policy[] => {
    const name = /^(\S+):$/m.exec(block)?.[1]
    if (!name) return []
    const version = (label: string) => {
      const text = new RegExp(`^ +${label}: (\\S+)$`, 'm').exec(block)?.[1]
      return text === undefined || text === '(none)' ? null : text
    }
    const candidate = version('Candidate')
    const table = block.slice(block.indexOf('Version table:'))
    const at = table.indexOf(' *** ')
    const newer = at < 0 ? '' : table.slice(0, at)
    const sources = [...table.matchAll(/^ (?:\*\*\*| {3}) (\S+) [^\n]*\n((?: {8,}-?\d+ [^\n]*\n?)*)/gm)]
    const of = sources.find((source) => source[1] === candidate)?.[2] ?? ''
    // `500 http://…/debian-security trixie-security/main amd64 Packages`: the archive's own words, without its address.
    const origin = /^ {8,}-?\d+ \S+ (\S+)/m.exec(of)?.[1] ?? ''
    return [
      {
        name,
        installed: version('Installed'),
        candidate,
        origin,
        security: /^ {8,}-?\d+ .*[-/]security\b/im.test(newer),
      },
    ]
  })
}

const namesAtOnce = 200
const patience: Millis = 120_000

async function policiesOf(names: readonly string[]): Promise<Policy[]> {
  const policies: Policy[] = []
  for (let i = 0; i < names.length; i += namesAtOnce) {
    const some = names.slice(i, i + namesAtOnce)
    policies.push(...parsePolicies(await command('apt-cache', ['policy', '--', ...some], patience)))
  }
  return policies
}

/** Simulates an upgrade and a clean-up; changes nothing. */
export async function simulate(): Promise<FoundUpdates> {
  const output = await command('apt-get', ['--simulate', '--quiet', 'dist-upgrade'], patience)
  const upgrades = parseSimulation(output)
  // Of what cannot be installed at all the apt of Debian 11 is silent there, and tells it only here.
  const gentle = await command('apt-get', ['--simulate', '--quiet', 'upgrade'], patience)
  const clean = await command('apt-get', ['--simulate', '--quiet', 'autoremove'], patience)
  const holds = (await command('apt-mark', ['showhold'], patience)).split('\n').filter(Boolean)
  const overtaken = new Set(
    (await policiesOf(upgrades.filter(({ security }) => !security).map(({ name }) => name)))
      .filter(({ security }) => security)
      .map(({ name }) => name),
  )
  const asked = new Set(holds)
  const coming = new Set(upgrades.map(({ name }) => name))
  const left = [...new Set([...holds, ...parseKept(output), ...parseKept(gentle)])].filter((name) => !coming.has(name))
  const behind = (await policiesOf(left)).filter(
    ({ installed, candidate }) => installed !== null && candidate !== null && installed !== candidate,
  )
  return {
    waiting: [
      ...upgrades.map((update) => (overtaken.has(update.name) ? { ...update, security: true } : update)),
      ...behind.map(({ name, installed, candidate, origin, security }): FoundUpdate => ({
        name,
        from: installed!,
        to: candidate!,
        origin,
        security,
        held: asked.has(name) ? 'asked' : 'kept',
      })),
    ],
    leftover: parseLeftovers(clean),
  }
}

function stampOf(path: string): Millis | null {
  try {
    return Math.floor(statSync(path).mtimeMs)
  } catch {
    return null
  }
}

const listsFolder = '/var/lib/apt/lists'

/** Files of the lists that were fetched, those that say what an archive holds. */
function releasesIn(folder: string): string[] {
  if (!existsSync(folder)) return []
  return readdirSync(folder).filter((name) => /_(In)?Release$/.test(name))
}

/**
 * When something of the lists came last. A file carries its server's time, but when it was put in its place is when it
 * came. That the folder changed, or that Debian's own timer left its stamp, says only that it was tried: `apt-get
 * update` ends well although no archive answered. Lists that were the newest leave no trace; they look older than
 * they are, where nobody else tells.
 */
export function listsCameAt(folder = listsFolder): Millis | null {
  const times = releasesIn(folder).map((name) => lstatSync(join(folder, name)).ctimeMs)
  return times.length ? Math.floor(Math.max(...times)) : null
}

/** The fields that a Release file begins with, before its long lists of sums. */
function headOf(path: string): string {
  const buffer = Buffer.alloc(4096)
  const file = openSync(path, 'r')
  try {
    return buffer.toString('utf8', 0, readSync(file, buffer, 0, buffer.length, 0))
  } finally {
    closeSync(file)
  }
}

/**
 * Archives that promise to be renewed by a date say so in their Release file (Debian's repository format, Valid-Until):
 * a day past it, fetching must have failed.
 */
export function expiredLists(now: Millis, folder = listsFolder): RefreshFailure | null {
  const expired = releasesIn(folder).flatMap((name): RefreshFailure[] => {
    const until = Date.parse(/^Valid-Until: (.+)$/m.exec(headOf(join(folder, name)))?.[1] ?? '')
    if (!(now - until > day)) return []
    const archive = name.replace(/_(In)?Release$/, '').replaceAll('_', '/')
    return [
      {
        since: until,
        reason: `what ${archive} gave last was good until ${new Date(until).toISOString().slice(0, 10)}`,
      },
    ]
  })
  return expired.sort((a, b) => a.since - b.since)[0] ?? null
}

/** Debian marks it by a file; a newer kernel of the running series waiting in /boot says the same. */
function restartPending(): boolean {
  if (existsSync('/run/reboot-required') || existsSync('/var/run/reboot-required')) return true
  if (!existsSync('/boot')) return false
  const kernels = readdirSync('/boot')
    .filter((name) => name.startsWith('vmlinuz-'))
    .map((name) => name.slice('vmlinuz-'.length))
  const newest = kernels.sort((a, b) => a.localeCompare(b, 'en', { numeric: true })).pop()
  return newest !== undefined && kernels.includes(release()) && newest !== release()
}

/**
 * When packages were last upgraded, as apt's history tells it: paragraphs of `Name: value`, in local time. It is begun
 * anew each month.
 */
export function upgradedAt(file = '/var/log/apt/history.log'): Millis | null {
  if (!existsSync(file)) return null
  const ends = readFileSync(file, 'utf8')
    .split(/\n\n+/)
    .filter((paragraph) => /^Upgrade: /m.test(paragraph))
    .map((paragraph) => Date.parse(/^End-Date: (\S+) +(\S+)$/m.exec(paragraph)?.slice(1).join('T') ?? ''))
    .filter((at) => Number.isFinite(at))
  return ends.length ? Math.max(...ends) : null
}

/** When something was last installed, removed or held: then dpkg writes its list anew. */
export const statusChangedAt = (): Millis => stampOf('/var/lib/dpkg/status') ?? 0

/** Debian and its relatives. @param told how root's script fared with fetching */
export function aptManager(told: () => Fetched | null): PackageManager {
  return {
    look: simulate,
    askedAt: (now) => now,
    mark: () => `${statusChangedAt()} ${listsCameAt() ?? ''} ${stampOf('/var/lib/apt/extended_states') ?? ''}`,
    changedAt: statusChangedAt,
    listsAt() {
      const came = listsCameAt()
      return came === null
        ? null
        : Math.max(came, stampOf('/var/lib/apt/periodic/update-success-stamp') ?? 0, told()?.at ?? 0)
    },
    refresh() {
      const fetched = told()
      return fetched ? fetched.failure : (expiredLists(Date.now()) ?? undefined)
    },
    restartPending,
    installedAt: upgradedAt,
  }
}
