import { readFileSync } from 'node:fs'
import { statfs } from 'node:fs/promises'
import { minute, second, type Disk, type Millis, type Reading } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'
import { command } from '../command'
import {
  diskMounts,
  errorsOf,
  isRemote,
  isRemovable,
  parseFstab,
  parseMounts,
  parsePseudo,
  readOnlyReason,
  type Mount,
} from './mounts'

/** What there is of a file system, in bytes and in inodes. */
export interface Room {
  size: number
  free: number
  /** What a program without privileges can write: what is free but for what is reserved for root. */
  available: number
  inodes: number
  freeInodes: number
}

/** `stat -f -c '%S %b %f %a %c %d'` (stat(1) of the GNU core utilities). */
export function parseStat(output: string): Room {
  const [block = 0, blocks = 0, free = 0, available = 0, inodes = 0, freeInodes = 0] = output
    .trim()
    .split(' ')
    .map(Number)
  return { size: blocks * block, free: free * block, available: available * block, inodes, freeInodes }
}

/** A place that a dead server stands behind does not answer for minutes: it is not asked again until it has. */
const patience: Millis = 5 * second
const waiting = new Map<string, Promise<unknown>>()

async function inTime<T>(mount: string, ask: () => Promise<T>): Promise<T> {
  if (waiting.has(mount)) throw new Error(`${mount} does not answer`)
  const asked = ask()
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

/**
 * Shares are asked by a program of their own: one that hangs would keep one of this program's few threads for good. It
 * is also the one that knows the unit of a file system that counts in another one than it writes in, as ZFS does.
 */
const askByProgram = (mount: string) =>
  inTime(mount, async () => parseStat(await command('stat', ['-f', '-c', '%S %b %f %a %c %d', mount], patience)))

async function askByCall(mount: string): Promise<Room> {
  const { bsize, blocks, bfree, bavail, files, ffree } = await inTime(mount, () => statfs(mount))
  return { size: blocks * bsize, free: bfree * bsize, available: bavail * bsize, inodes: files, freeInodes: ffree }
}

/** How much of a mount there is. */
function roomOf({ mount, device, fileSystem }: Mount): Promise<Room> {
  const isPlain = device.startsWith('/dev/') && !fileSystem.startsWith('fuse')
  return isPlain || fileSystem === 'overlay' ? askByCall(mount) : askByProgram(mount)
}

/** What ext file systems were made with stays; others count inodes as they need them. */
const isExt = (fileSystem: string) => /^ext[234]$/.test(fileSystem)

function readingsOf(mount: string, { size, free, available, inodes, freeInodes }: Room): Reading[] {
  // As df(1) reckons its share: what is reserved for root is neither free nor used.
  const usable = size - free + available
  return [
    ['disk.size', mount, usable],
    ['disk.free', mount, available],
    ...(inodes > 0 && freeInodes >= 0 && freeInodes <= inodes
      ? [['disk.inodes.free', mount, freeInodes / inodes] satisfies Reading]
      : []),
  ]
}

function fstabOf(): string {
  try {
    return readFileSync('/etc/fstab', 'utf8')
  } catch {
    return ''
  }
}

/** After one that did not answer in time a share is left alone for a while. */
const restOfShare: Millis = 10 * minute

/** @param wantsShares whether a watch asks how much is free on what other machines share */
export function disksCollector(wantsShares: () => boolean = () => false): Collect {
  /** Sizes of those that could be read once. */
  const known = new Map<string, number>()
  /** By a clock that nobody sets. */
  const restingUntil = new Map<string, Millis>()
  /** Those that could be written to once. */
  const writable = new Set<string>()
  return {
    name: 'disks',
    async collect() {
      const now = steady()
      const mounts = diskMounts(
        parseMounts(readFileSync('/proc/self/mountinfo', 'utf8')),
        parsePseudo(readFileSync('/proc/filesystems', 'utf8')),
      ).filter((mount) => wantsShares() || !isRemote(mount))
      const fstab = parseFstab(fstabOf())
      const look = async (mount: Mount): Promise<{ disk: Disk; readings: Reading[] } | null> => {
        const readOnly = readOnlyReason(mount, {
          fstab: fstab.get(mount.mount),
          errors: isExt(mount.fileSystem) ? errorsOf(mount.device) : null,
          wasWritable: writable.has(mount.mount),
        })
        if (!mount.isReadOnly) writable.add(mount.mount)
        const disk: Omit<Disk, 'size'> = {
          mount: mount.mount,
          device: mount.device,
          fileSystem: mount.fileSystem,
          removable: isRemovable(mount.device),
          ...(isRemote(mount) ? { remote: true as const } : {}),
          ...(readOnly ? { readOnly } : {}),
        }
        try {
          if ((restingUntil.get(mount.mount) ?? 0) > now) throw new Error(`${mount.mount} does not answer`)
          restingUntil.delete(mount.mount)
          const room = await roomOf(mount)
          if (room.size === 0) return null
          known.set(mount.mount, room.size)
          const inodes = isExt(mount.fileSystem) && room.inodes > 0 ? { inodes: room.inodes } : {}
          return { disk: { ...disk, size: room.size, ...inodes }, readings: readingsOf(mount.mount, room) }
        } catch (error) {
          if (isRemote(mount)) restingUntil.set(mount.mount, restingUntil.get(mount.mount) ?? now + restOfShare)
          return {
            disk: { ...disk, size: known.get(mount.mount) ?? 0, trouble: (error as Error).message },
            readings: [],
          }
        }
      }
      const looks = (await Promise.all(mounts.map(look))).filter((found) => found !== null)
      const readings = looks.flatMap((found) => found.readings)
      const trouble = looks.find(({ disk }) => disk.trouble !== undefined)?.disk.trouble
      if (!readings.length && trouble !== undefined) throw new Error(trouble)
      return { readings, facts: { disks: looks.map(({ disk }) => disk) } }
    },
  }
}
