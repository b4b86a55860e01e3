import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Facts, Reading } from '#core'

/** Of a drive since the start of the machine: Documentation/admin-guide/iostats.rst of the kernel. */
export interface DriveCounters {
  reads: number
  sectorsRead: number
  /** Of all reads together, waiting in line and at the drive; milliseconds. */
  readTime: number
  writes: number
  sectorsWritten: number
  writeTime: number
  /** What it has to do at this moment. */
  pending: number
  /** So long it had something to do; milliseconds. */
  busy: number
}

/** A sector of these counters, whatever the drive's own are. */
const sector = 512

/** @param diskstats /proc/diskstats: a line for each block device, partitions with them */
export function parseDriveCounters(diskstats: string): Map<string, DriveCounters> {
  const found = new Map<string, DriveCounters>()
  for (const line of diskstats.split('\n')) {
    const [, , name, ...fields] = line.trim().split(/\s+/)
    if (!name || fields.length < 10) continue
    const [reads, , sectorsRead, readTime, writes, , sectorsWritten, writeTime, pending, busy] = fields.map(Number)
    found.set(name, {
      reads: reads!,
      sectorsRead: sectorsRead!,
      readTime: readTime!,
      writes: writes!,
      sectorsWritten: sectorsWritten!,
      writeTime: writeTime!,
      pending: pending!,
      busy: busy!,
    })
  }
  return found
}

/**
 * What a drive did between two looks; null where its counters began anew. Its latency is that of what ended in between;
 * where nothing ended though something waits, as at a drive that hangs, it is at least the whole time.
 * @param elapsed milliseconds
 */
export function useBetween(before: DriveCounters, now: DriveCounters, elapsed: number) {
  const [reads, writes] = [now.reads - before.reads, now.writes - before.writes]
  if (elapsed <= 0 || reads < 0 || writes < 0 || now.busy < before.busy) return null
  const ended = reads + writes
  const took = now.readTime - before.readTime + (now.writeTime - before.writeTime)
  const hanging = before.pending > 0 && now.pending > 0 ? elapsed : 0
  const rate = (sectors: number) => Math.max(0, (sectors * sector * 1000) / elapsed)
  return {
    busy: Math.min(1, (now.busy - before.busy) / elapsed),
    latency: ended > 0 ? Math.max(0, took / ended) : hanging,
    read: rate(now.sectorsRead - before.sectorsRead),
    written: rate(now.sectorsWritten - before.sectorsWritten),
  }
}

const readIn = (path: string): string => {
  try {
    return readFileSync(path, 'utf8').trim()
  } catch {
    return ''
  }
}

/**
 * Drives themselves and arrays of the kernel: what a filesystem on them sees lies on these, and what is only a file, a
 * piece of memory or an empty tray is none.
 * @param root of the files of the system
 */
export function driveNames(root = '/'): string[] {
  const blocks = join(root, 'sys/block')
  if (!existsSync(blocks)) return []
  return readdirSync(blocks)
    .filter((name) => {
      if (/^(loop|ram|zram|sr|fd|nbd)\d|^mmcblk\d+(boot|rpmb)/.test(name)) return false
      // A path to a drive that is told as a whole under another name.
      if (readIn(join(blocks, name, 'hidden')) === '1') return false
      const isDrive = existsSync(join(blocks, name, 'device')) || /^md/.test(name)
      return isDrive && Number(readIn(join(blocks, name, 'size'))) > 0
    })
    .sort()
    .slice(0, mostDrives)
}
/** Of a machine with more, the others are not told. */
const mostDrives = 32

type Counted = { at: number; counters: Map<string, DriveCounters> }

/** @param before the look before; null: there was none */
export function drivesUse(before: Counted | null, now: number, root = '/') {
  const counters = parseDriveCounters(readFileSync(join(root, 'proc/diskstats'), 'utf8'))
  const blocks = driveNames(root).filter((name) => counters.has(name))
  const readings = blocks.flatMap((name): Reading[] => {
    const was = before?.counters.get(name)
    const use = was ? useBetween(was, counters.get(name)!, now - before!.at) : null
    if (!use) return []
    return [
      ['io.busy', name, use.busy],
      ['io.latency', name, use.latency],
      ['io.read', name, use.read],
      ['io.written', name, use.written],
    ]
  })
  const facts: Facts = { blocks }
  return { readings, facts, counted: { at: now, counters } }
}
