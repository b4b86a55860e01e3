import { existsSync, readdirSync, statSync } from 'node:fs'
import { release } from 'node:os'
import { join } from 'node:path'
import { day, hour, minute, second, type Millis, type Updates } from '#core'
import { steady } from '../../clock'
import { readJson, writeWhole } from '#files'
import { NotHereError, type Collect } from '../collector'
import { command } from '../command'

export interface Simulated {
  security: string[]
  other: string[]
  leftover: string[]
}

/**
 * What apt's own simulation would do (apt-get(8), --simulate): a line `Inst NAME [OLD] (NEW ORIGIN…)` for each package
 * that would be upgraded, without [OLD] for one that would come new; `Remv NAME` for one that would go. An update is a
 * security update when one of its origins is a security archive (Debian-Security, or a suite that ends in -security).
 */
export function parseSimulation(output: string): Omit<Simulated, 'leftover'> {
  const security: string[] = []
  const other: string[] = []
  for (const [, name, origins] of output.matchAll(/^Inst (\S+) \[[^\]]*\] \(\S+ ([^)]*)\)/gm)) {
    const isSecurity = origins!.split(',').some((origin) => /Debian-Security:|[-/]security\b/i.test(origin))
    ;(isSecurity ? security : other).push(name!)
  }
  return { security, other }
}

export function parseLeftovers(output: string): string[] {
  return [...output.matchAll(/^Remv (\S+)/gm)].map((match) => match[1]!)
}

/**
 * Of packages, those that an update for security waits for although a newer one without that mark has overtaken it: in
 * the version tables of `apt-cache policy NAME…` (apt-cache(8)) newer versions stand above the installed one, which is
 * marked with ***, each followed by where it comes from.
 */
export function parseOvertaken(policy: string): string[] {
  const names: string[] = []
  for (const block of policy.split(/^(?=\S[^\n]*:$)/m)) {
    const name = /^(\S+):$/m.exec(block)?.[1]
    const table = block.slice(block.indexOf('Version table:'))
    const installed = table.indexOf(' *** ')
    if (name && installed >= 0 && /^ {8,}-?\d+ .*[-/]security\b/m.test(table.slice(0, installed))) names.push(name)
  }
  return names
}

const namesAtOnce = 200

/** Simulates an upgrade and a clean-up; changes nothing. */
export async function simulate(): Promise<Simulated> {
  const upgrade = parseSimulation(await command('apt-get', ['--simulate', '--quiet', 'dist-upgrade'], 120_000))
  const clean = await command('apt-get', ['--simulate', '--quiet', 'autoremove'], 120_000)
  const overtaken = new Set<string>()
  for (let i = 0; i < upgrade.other.length; i += namesAtOnce)
    for (const name of parseOvertaken(
      await command('apt-cache', ['policy', '--', ...upgrade.other.slice(i, i + namesAtOnce)], 120_000),
    ))
      overtaken.add(name)
  return {
    security: [...upgrade.security, ...upgrade.other.filter((name) => overtaken.has(name))],
    other: upgrade.other.filter((name) => !overtaken.has(name)),
    leftover: parseLeftovers(clean),
  }
}

function changedAt(path: string): Millis | null {
  try {
    return Math.floor(statSync(path).mtimeMs)
  } catch {
    return null
  }
}

/** When something was last installed, removed or held: then dpkg writes its list anew. */
export function statusChangedAt(): Millis {
  return changedAt('/var/lib/dpkg/status') ?? 0
}

/**
 * When the package lists were last fetched: Debian's timer leaves a stamp, and new lists change their folder. The lists
 * themselves carry the server's time. A fetch by hand that found nothing new leaves no trace; they then look older than
 * they are.
 */
function listsFetchedAt(): Millis | null {
  const stamps = [
    '/var/lib/apt/periodic/update-success-stamp',
    '/var/lib/apt/periodic/update-stamp',
    '/var/lib/apt/lists',
  ]
    .map(changedAt)
    .filter((at) => at !== null)
  const isEmpty =
    !existsSync('/var/lib/apt/lists') || !readdirSync('/var/lib/apt/lists').some((name) => /_(In)?Release$/.test(name))
  return isEmpty || !stamps.length ? null : Math.max(...stamps)
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

const firstPause: Millis = 5 * minute
const longestPause: Millis = 6 * hour
/** While packages are being installed their list changes again and again. */
const settled: Millis = 30 * second

/**
 * Looks once a day, and again when packages or lists have changed. After a failure it waits, longer each time, and
 * goes on failing with the same reason: what is not known is not "none".
 * @param refresh fetch the package lists first; needs root and a network
 */
export function updatesCollector(home: string | null, refresh: boolean): Collect {
  const file = home === null ? null : join(home, 'updates-seen.json')
  let latest: { updates: Updates; at: Millis; status: Millis } | null = null
  let failure: { error: Error; until: Millis; pause: Millis } | null = null

  async function look(now: Millis): Promise<Updates> {
    if (refresh && process.getuid?.() === 0)
      await command('apt-get', ['update', '--quiet'], 300_000).catch(() => undefined)
    const found = await simulate()
    const seen = (file === null ? null : readJson<Record<string, Millis>>(file)) ?? {}
    // How long an update has been waiting counts from when it was first seen here.
    const since = (names: readonly string[]) =>
      names.length ? Math.min(...names.map((name) => (seen[name] ??= now))) : null
    const updates: Updates = {
      security: found.security.length,
      other: found.other.length,
      leftover: found.leftover.length,
      oldestSecurityAt: since(found.security),
      oldestOtherAt: since(found.other),
      restartPending: restartPending(),
      checkedAt: now,
      listsAt: listsFetchedAt(),
      names: [...found.security, ...found.other].slice(0, 200),
    }
    const waiting = new Set([...found.security, ...found.other])
    try {
      if (file !== null)
        writeWhole(file, JSON.stringify(Object.fromEntries(Object.entries(seen).filter(([name]) => waiting.has(name)))))
    } catch {
      // Then they count as first seen now once more, after a restart.
    }
    return updates
  }

  return {
    name: 'updates',
    async collect(now) {
      if (!existsSync('/usr/bin/apt-get'))
        throw new NotHereError('no apt here: updates are read on Debian and its relatives')
      const at = steady()
      if (failure && at < failure.until) throw failure.error
      const status = statusChangedAt()
      const isFresh =
        latest &&
        at - latest.at < day &&
        (status === latest.status || Date.now() - status < settled) &&
        listsFetchedAt() === latest.updates.listsAt
      if (latest && isFresh) return { facts: { updates: { ...latest.updates, restartPending: restartPending() } } }
      try {
        latest = { updates: await look(now), at, status }
        failure = null
      } catch (error) {
        const pause = Math.min(longestPause, failure ? failure.pause * 2 : firstPause)
        failure = { error: error as Error, until: at + pause, pause }
        throw error
      }
      return { facts: { updates: latest.updates } }
    },
  }
}
