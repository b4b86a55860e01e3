import { existsSync, readFileSync, readlinkSync } from 'node:fs'
import { statfs } from 'node:fs/promises'
import { basename } from 'node:path'
import type { Disk, Reading } from '#core'
import type { Collect } from './collector'

export interface Mount { device: string; mount: string; fileSystem: string }

/** /proc/mounts (fstab(5)): blanks and backslashes in names stand as octal. */
export function parseMounts(mounts: string): Mount[] {
  const plain = (text: string) => text.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)))
  return mounts.split('\n').filter(Boolean).map((line) => {
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
  for (const one of mounts) {
    const isDisk = one.mount === '/' || real.has(one.fileSystem) || (!pseudo.has(one.fileSystem) && !readOnly.has(one.fileSystem))
    if (!isDisk || one.fileSystem === 'rootfs') continue
    const known = byDevice.get(one.device)
    if (!known || one.mount.length < known.mount.length) byDevice.set(one.device, one)
  }
  return [...byDevice.values()].sort((a, b) => (a.mount < b.mount ? -1 : 1))
}

function isRemovable(device: string): boolean {
  try {
    const block = basename(readlinkSync(`/sys/class/block/${basename(device)}/..`, 'utf8'))
    const file = [`/sys/class/block/${basename(device)}/removable`, `/sys/class/block/${block}/removable`].find((one) => existsSync(one))
    return file !== undefined && readFileSync(file, 'utf8').trim() === '1'
  } catch {
    return false
  }
}

export function disksCollector(): Collect {
  return {
    name: 'disks',
    async collect() {
      const mounts = diskMounts(parseMounts(readFileSync('/proc/mounts', 'utf8')), parsePseudo(readFileSync('/proc/filesystems', 'utf8')))
      const readings: Reading[] = []
      const disks: Disk[] = []
      for (const one of mounts) {
        const stat = await statfs(one.mount)
        const size = stat.blocks * stat.bsize
        if (size === 0) continue
        // What a program without privileges can still write.
        readings.push(['disk.size', one.mount, size], ['disk.free', one.mount, stat.bavail * stat.bsize])
        disks.push({ mount: one.mount, device: one.device, fileSystem: one.fileSystem, removable: isRemovable(one.device), size })
      }
      return { readings, facts: { disks } }
    },
  }
}
