import { basename } from 'node:path'
import { existsSync, readFileSync, readlinkSync, realpathSync } from 'node:fs'
import type { ReadOnlyReason } from '#core'

export interface Mount {
  device: string
  /** Of its device, as the kernel counts them: major and minor. */
  number: string
  mount: string
  fileSystem: string
  /** Nothing can be written to the file system, wherever it is mounted. */
  isReadOnly: boolean
  /** The kernel has taken the right to write away after an error. */
  isStopped: boolean
}

// Blanks and backslashes in names stand as octal.
const plain = (text: string) =>
  text.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)))
const isReadOnly = (options: string) => options.split(',').includes('ro')
// Since Linux 6.12 ext4 leaves its file system as writable as it was mounted, and shows this instead.
const isStopped = (options: string) => /(^|,)(emergency_ro|shutdown)(,|$)/.test(options)

/**
 * /proc/self/mountinfo (proc(5)): what is mounted where. Behind a variable number of fields a single hyphen stands, and
 * after it what is true of the file system wherever it is mounted. Options of the place itself say nothing here: to an
 * agent whose unit has ProtectSystem=strict every place is read-only.
 */
export function parseMounts(mountinfo: string): Mount[] {
  return mountinfo
    .split('\n')
    .filter(Boolean)
    .flatMap((line): Mount[] => {
      const fields = line.split(' ')
      const mount = fields[4]
      const [fileSystem, device, whole] = fields.slice(fields.indexOf('-', 6) + 1)
      if (mount === undefined || fileSystem === undefined || device === undefined) return []
      return [
        {
          device: plain(device),
          number: fields[2] ?? '',
          mount: plain(mount),
          fileSystem,
          isReadOnly: isReadOnly(whole ?? '') || isStopped(whole ?? ''),
          isStopped: isStopped(whole ?? ''),
        },
      ]
    })
}

/** Places of /etc/fstab (fstab(5)), and whether they are meant to be read alone. */
export function parseFstab(fstab: string): Map<string, boolean> {
  const places = new Map<string, boolean>()
  for (const line of fstab.split('\n')) {
    if (/^\s*(#|$)/.test(line)) continue
    const [, place, , options = ''] = line.trim().split(/\s+/)
    if (place) places.set(place === '/' ? place : plain(place).replace(/\/+$/, ''), isReadOnly(options))
  }
  return places
}

/** File systems without a device behind them: those marked nodev in /proc/filesystems (proc(5)). */
export function parsePseudo(filesystems: string): Set<string> {
  return new Set([...filesystems.matchAll(/^nodev\s+(\S+)$/gm)].map((match) => match[1]!))
}

// Images that are full by their nature.
const images = new Set(['squashfs', 'iso9660', 'udf', 'erofs'])
// Marked nodev because they manage their devices themselves.
const real = new Set(['zfs', 'bcachefs'])
const shared = new Set([
  'nfs',
  'nfs4',
  'cifs',
  'smb3',
  'smbfs',
  'ceph',
  '9p',
  'afs',
  'coda',
  'lustre',
  'fuse.sshfs',
  'fuse.glusterfs',
])

/** Whether another machine shares it: by its kind, or named as df(1) knows such: `server:/path`, `//server/path`. */
export function isRemote({ device, fileSystem }: Pick<Mount, 'device' | 'fileSystem'>): boolean {
  return shared.has(fileSystem) || (fileSystem.startsWith('fuse.') && /^(\/\/|[^/]+:)/.test(device))
}

/** The mounts that are disks, and shares: no pseudo file systems, and of several places of one device the shortest. */
export function diskMounts(mounts: readonly Mount[], pseudo: ReadonlySet<string>): Mount[] {
  const byDevice = new Map<string, Mount>()
  for (const mount of mounts) {
    const { fileSystem } = mount
    const isDisk =
      mount.mount === '/' ||
      real.has(fileSystem) ||
      isRemote(mount) ||
      (!pseudo.has(fileSystem) && !images.has(fileSystem))
    // What the host of a container shows to it is no disk of the container (systemd's Container Interface).
    if (!isDisk || fileSystem === 'rootfs' || mount.mount.startsWith('/run/host/')) continue
    const known = byDevice.get(mount.device)
    if (!known || mount.mount.length < known.mount.length) byDevice.set(mount.device, mount)
  }
  return [...byDevice.values()].sort((a, b) => (a.mount < b.mount ? -1 : 1))
}

/** What is known of a file system beside its mount. */
export interface Beside {
  /** Whether /etc/fstab wants it read-only; undefined: it is not in there. */
  fstab: boolean | undefined
  /** How many errors it has noted in itself; null: its kind notes none. */
  errors: number | null
  /** It could be written to at an earlier look. */
  wasWritable: boolean
}

/**
 * Why nothing can be written to a disk. The kernel takes the right away after an error; an ext file system counts
 * those (Linux kernel, Documentation/ABI/testing/sysfs-fs-ext4), of others it is the likelier reason where fstab(5) has
 * them writable.
 */
export function readOnlyReason(
  { isReadOnly, isStopped }: Mount,
  { fstab, errors, wasWritable }: Beside,
): ReadOnlyReason | null {
  if (isStopped) return 'fault'
  if (!isReadOnly) return null
  if (fstab === true) return 'meant'
  if (errors !== null && errors > 0) return 'fault'
  const isUnlike = fstab === false || wasWritable
  if (!isUnlike) return 'meant'
  return errors === null ? 'fault' : 'changed'
}

/** How many errors an ext file system has noted, by its device; null: it is of another kind, or does not tell. */
export function errorsOf(device: string): number | null {
  try {
    // A name such as /dev/mapper/… leads to the one that the kernel knows.
    const known = existsSync(device) ? realpathSync(device) : device
    return Number(readFileSync(`/sys/fs/ext4/${basename(known)}/errors_count`, 'utf8'))
  } catch {
    return null
  }
}

export function isRemovable(device: string): boolean {
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
