import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

const state = process.env.CUSTODE_STATE ?? '/var/lib/custode'

/** Bases are made once and shared by every clone on the machine: they are read only. */
export const basesFolder = join(state, 'real-hosts', 'bases')
/** One folder a lan, with what it takes to undo it. */
export const lansFolder = join(state, 'real-hosts', 'lans')

/** What tells a process from a later one with the same number: when it was started (proc_pid_stat(5), field 22). */
export function startOf(pid: number): string | null {
  const file = `/proc/${pid}/stat`
  if (!existsSync(file)) return null
  try {
    const stat = readFileSync(file, 'utf8')
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? null
  } catch {
    return null
  }
}

/** Why real hosts cannot be had on this machine; null: they can. */
export function whyNoRealHosts(): string | null {
  if (process.platform !== 'linux') return 'real hosts need Linux'
  if (process.getuid?.() !== 0) return 'real hosts need root: they are mounted, booted and connected'
  const missing = ['systemd-nspawn', 'mmdebstrap', 'ip', 'nsenter'].filter(
    (name) => !['/usr/bin', '/usr/sbin', '/bin', '/sbin'].some((folder) => existsSync(join(folder, name))),
  )
  return missing.length
    ? `real hosts need ${missing.join(', ')} (Debian’s packages systemd-container, mmdebstrap, iproute2 and util-linux)`
    : null
}
