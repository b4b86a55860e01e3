import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { release } from 'node:os'
import { join } from 'node:path'
import { day, type Millis, type Updates } from '#core'
import { NotHere, type Collect } from './collector'
import { command } from './command'

export interface Simulated { security: string[]; other: string[]; leftover: string[] }

/**
 * What apt's own simulation would do (apt-get(8), --simulate): a line `Inst NAME [OLD] (NEW ORIGIN…)` for each package that
 * would be upgraded, without [OLD] for one that would come new; `Remv NAME` for one that would go. An update is a security
 * update when one of its origins is a security archive (Debian-Security, or a suite that ends in -security).
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

/** Simulates an upgrade and a clean-up; changes nothing. */
export async function simulate(): Promise<Simulated> {
  const upgrade = await command('apt-get', ['--simulate', '--quiet', 'dist-upgrade'], 120_000)
  const clean = await command('apt-get', ['--simulate', '--quiet', 'autoremove'], 120_000)
  return { ...parseSimulation(upgrade), leftover: parseLeftovers(clean) }
}

/** Debian marks it by a file; a newer kernel of the running series waiting in /boot says the same. */
function restartPending(): boolean {
  if (existsSync('/run/reboot-required') || existsSync('/var/run/reboot-required')) return true
  if (!existsSync('/boot')) return false
  const kernels = readdirSync('/boot').filter((name) => name.startsWith('vmlinuz-')).map((name) => name.slice('vmlinuz-'.length))
  const newest = kernels.sort((a, b) => a.localeCompare(b, 'en', { numeric: true })).pop()
  return newest !== undefined && kernels.includes(release()) && newest !== release()
}

/** @param refresh fetch the package lists first; needs root and a network */
export function updatesCollector(home: string, refresh: boolean): Collect {
  const file = join(home, 'updates-seen.json')
  let latest: Updates | null = null
  return {
    name: 'updates',
    async collect(now) {
      if (!existsSync('/usr/bin/apt-get')) throw new NotHere('no apt here: updates are read on Debian and its relatives')
      if (latest && now - latest.checkedAt < day) return { facts: { updates: latest } }
      if (refresh && process.getuid?.() === 0) await command('apt-get', ['update', '--quiet'], 300_000).catch(() => undefined)
      const found = await simulate()
      const seen = existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Record<string, Millis>) : {}
      // How long an update has been waiting counts from when it was first seen here.
      const since = (names: readonly string[]) => (names.length ? Math.min(...names.map((name) => (seen[name] ??= now))) : null)
      latest = {
        security: found.security.length, other: found.other.length, leftover: found.leftover.length,
        oldestSecurityAt: since(found.security), oldestOtherAt: since(found.other),
        restartPending: restartPending(), checkedAt: now, names: [...found.security, ...found.other].slice(0, 200),
      }
      const waiting = new Set([...found.security, ...found.other])
      writeFileSync(file, JSON.stringify(Object.fromEntries(Object.entries(seen).filter(([name]) => waiting.has(name)))), { mode: 0o600 })
      return { facts: { updates: latest } }
    },
  }
}
