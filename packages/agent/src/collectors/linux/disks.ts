import { existsSync, readFileSync, readlinkSync, type StatsFs } from 'node:fs'
import { statfs } from 'node:fs/promises'
import { basename } from 'node:path'
import { second, type Disk, type Millis, type Reading } from '#core'
import type { Collect } from '../collector'

export interface Mount {
  device: string
  mount: string
  fileSystem: string
}

/** /proc/mounts (fstab(5)): blanks and backslashes in names stand as octal. */
export function parseMounts(mounts: string): Mount[] {
  const plain = (text: string) =>
    text.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)))
  return mounts
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [device = '', mount = '', fileSystem = ''] = line.split(' ')
      return { device: plain(device), mount: plain(mount), fileSystem }
    })
}

/** File systems without a device behind them: those marked nodev in /proc/filesystems (proc(5)). */
export function parsePseudo(filesystems: string): Set<string> {
  return new Set([...filesystems.matchAll(/^nodev\s+(\S+)$/gm)].map((match) => match[1]!))
}

// Images that are full by their nature.
const readOnly = new Set(['squashfs', 'iso9660', 'udf', 'erofs'])
// Marked nodev because they manage their devices themselves.
const real = new Set(['zfs', 'bcachefs'])

/** The mounts that are disks: no pseudo file systems, and of several places of one device the shortest. */
export function diskMounts(mounts: readonly Mount[], pseudo: ReadonlySet<string>): Mount[] {
  const byDevice = new Map<string, Mount>()
  for (const mount of mounts) {
    const isDisk =
      mount.mount === '/' ||
      real.has(mount.fileSystem) ||
      (!pseudo.has(mount.fileSystem) && !readOnly.has(mount.fileSystem))
    // What the host of a container shows to it is no disk of the container (systemd's Container Interface).
    if (!isDisk || mount.fileSystem === 'rootfs' || mount.mount.startsWith('/run/host/')) continue
    const known = byDevice.get(mount.device)
    if (!known || mount.mount.length < known.mount.length) byDevice.set(mount.device, mount)
  }
  return [...byDevice.values()].sort((a, b) => (a.mount < b.mount ? -1 : 1))
}

function isRemovable(device: string): boolean {
  try {
    const block = basename(readlinkSync(`/sys/class/block/${basename(device)}/..`, 'utf8'))
    const file = [`/sys/class/block/${basename(device)}/removable`, `/sys/class/block/${block}/removable`].find(
      (path) => existsSync(path),
    )
    return file !== undefined && readFileSync(file, 'utf8').trim() === '1'
  } catch {
    return false
  }
}

/** A place that a dead server stands behind does not answer for minutes: it is not asked again until it has. */
const patience: Millis = 5 * second
const waiting = new Map<string, Promise<unknown>>()

async function sizeOf(mount: string): Promise<StatsFs> {
  if (waiting.has(mount)) throw new Error(`${mount} does not answer`)
  const asked = statfs(mount)
  waiting.set(mount, asked)
  const done = () => void waiting.delete(mount)
  asked.then(done, done)
  let late: NodeJS.Timeout | undefined
  try {
    return await Promise.race([
      asked,
      new Promise<never>((_, reject) => {
        late = setTimeout(() => reject(new Error(`${mount} does not answer`)), patience)
      }),
    ])
  } finally {
    clearTimeout(late)
  }
}

export function disksCollector(): Collect {
  /** Sizes of those that could be read once. */
  const known = new Map<string, number>()
  return {
    name: 'disks',
    async collect() {
      const mounts = diskMounts(
        parseMounts(readFileSync('/proc/mounts', 'utf8')),
        parsePseudo(readFileSync('/proc/filesystems', 'utf8')),
      )
      const readings: Reading[] = []
      const disks: Disk[] = []
      const troubles: string[] = []
      for (const mount of mounts) {
        const named = {
          mount: mount.mount,
          device: mount.device,
          fileSystem: mount.fileSystem,
          removable: isRemovable(mount.device),
        }
        let stat: StatsFs
        try {
          stat = await sizeOf(mount.mount)
        } catch (error) {
          const trouble = (error as Error).message
          troubles.push(trouble)
          disks.push({ ...named, size: known.get(mount.mount) ?? 0, trouble })
          continue
        }
        const size = stat.blocks * stat.bsize
        if (size === 0) continue
        disks.push({ ...named, size })
        known.set(mount.mount, size)
        // What a program without privileges can still write.
        readings.push(['disk.size', mount.mount, size], ['disk.free', mount.mount, stat.bavail * stat.bsize])
      }
      if (!readings.length && troubles.length) throw new Error(troubles[0])
      return { readings, facts: { disks } }
    },
  }
}
