import { readFileSync } from 'node:fs'
import { second, type Millis } from '#core'

/** A program that goes on with files that were replaced, or removed, since it started. */
export interface Outdated {
  name: string
  service: boolean
  files: string[]
}

/** Where packages put programs and libraries; what is made and removed while a program runs lies elsewhere. */
const ofPackages = /^\/(usr|lib\w*|bin|sbin|opt)\//

/**
 * Lines of memory maps with what is run from and is not there any more (proc_pid_maps(5)), as grep(1) prints them:
 * `/proc/PID/maps:7f12-7f34 r-xp 00000000 08:01 1234    /usr/lib/… (deleted)`.
 * @returns files by the number of their process
 */
export function parseReplaced(text: string): Map<number, Set<string>> {
  const found = new Map<number, Set<string>>()
  for (const [, pid, file] of text.matchAll(
    /^\/proc\/(\d+)\/maps:\S+ ..x\S* \S+ \S+ [1-9]\d* +(\/.*) \(deleted\)$/gm,
  )) {
    if (!ofPackages.test(file!)) continue
    const files = found.get(Number(pid)) ?? new Set()
    found.set(Number(pid), files.add(file!))
  }
  return found
}

/** Groups as systemd-nspawn, Docker, Podman, LXC and Kubernetes name those of their guests. */
const ofContainer =
  /\/(machine\.slice|docker|lxc[^/]*|kubepods[^/]*|buildkit)\/|\/(docker|libpod|cri-containerd|crio)-[^/]*\.scope|\.scope\/.|\/payload\//

/**
 * Which service a process belongs to, by its control group (proc_pid_cgroup(5)): `0::/system.slice/nginx.service`, or
 * the line of systemd's own hierarchy in older ones. What runs in a container is not this machine's to restart.
 * @returns null: none; undefined: it is no program of this machine
 */
export function serviceOf(cgroup: string): string | null | undefined {
  const path = /^(?:0:|\d+:name=systemd):(.*)$/m.exec(cgroup)?.[1] ?? ''
  if (ofContainer.test(path)) return undefined
  // A user's own services lie below the one that keeps his session: theirs to restart.
  if (path.startsWith('/user.slice/')) return null
  return /\/([^/]+)\.service(\/|$)/.exec(path)?.[1] ?? null
}

/** For how long a process has been running (proc_pid_stat(5), field 22; proc_uptime(5)). */
function runningFor(stat: string | null, uptime: string | null): Millis {
  const ticks = Number(stat?.slice(stat.lastIndexOf(')') + 2).split(' ')[19])
  return (Number(uptime?.split(' ')[0]) - ticks / ticksASecond) * second
}
/** sysconf(3), _SC_CLK_TCK: the same on every Linux that Node runs on. */
const ticksASecond = 100

/**
 * By service, and by program where none runs it.
 * @param age how long ago one looked: a process that is younger has another’s number
 * @param read what a file of /proc says; null: the process has ended
 */
export function outdatedPrograms(
  replaced: ReadonlyMap<number, ReadonlySet<string>>,
  age: Millis,
  read: (path: string) => string | null = readOrNull,
): Outdated[] {
  const found = new Map<string, { service: boolean; files: Set<string> }>()
  const uptime = read('/proc/uptime')
  for (const [pid, files] of replaced) {
    if (!(runningFor(read(`/proc/${pid}/stat`), uptime) >= age - second)) continue
    const cgroup = read(`/proc/${pid}/cgroup`)
    const service = cgroup === null ? undefined : serviceOf(cgroup)
    if (service === undefined) continue
    const name = service ?? read(`/proc/${pid}/comm`)?.trim()
    if (!name) continue
    const known = found.get(`${service === null} ${name}`) ?? { service: service !== null, files: new Set() }
    for (const file of files) known.files.add(file)
    found.set(`${service === null} ${name}`, known)
  }
  return [...found]
    .map(([key, { service, files }]) => ({ name: key.slice(key.indexOf(' ') + 1), service, files: [...files].sort() }))
    .sort((a, b) => Number(b.service) - Number(a.service) || (a.name < b.name ? -1 : 1))
}

function readOrNull(path: string): string | null {
  try {
    return readFileSync(path, 'utf8')
  } catch {
    return null
  }
}
