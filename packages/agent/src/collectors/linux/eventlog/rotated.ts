import { createHash } from 'node:crypto'
import { closeSync, lstatSync, openSync, readdirSync, readSync } from 'node:fs'
import { basename, dirname, extname, join } from 'node:path'
import { second } from '#core'
import { packedHead } from './packedLog'

/** How far a file was read: which file, and how many bytes of it. */
export interface Position {
  inode: number
  offset: number
  /** When it had been written last. */
  modified?: number
  /** What it begins with: an inode is given to another file as soon as it is free, and a copy has one of its own. */
  head?: string
  /** Those before it; a program may go on writing to them until it is told to open the new one. */
  earlier?: Earlier[]
}

export interface Earlier {
  path: string
  inode: number
  offset: number
  head?: string
}

/** A log under the name that it was rotated to. */
export interface Rotated {
  path: string
  inode: number
  /** As it lies there: of one that is packed not that of what is in it. */
  size: number
  modified: number
  isPacked: boolean
}

const headBytes = 1024

/** What the first bytes of a file come to, up to an offset; undefined: it is empty so far. */
export function headOf(handle: number, offset: number): string | undefined {
  const bytes = Buffer.alloc(Math.min(headBytes, offset))
  const length = readSync(handle, bytes, 0, bytes.length, 0)
  return length === 0 ? undefined : markOf(bytes.subarray(0, length))
}
const markOf = (head: Buffer) => `${head.length}:${createHash('sha256').update(head).digest('hex').slice(0, 16)}`
const lengthOf = (head: string) => Number.parseInt(head, 10)

/** Whether a file begins as the one did that was read. */
export const isHeadOf = (head: string | undefined, handle: number): boolean =>
  head === undefined || headOf(handle, lengthOf(head)) === head

function beginsAs(head: string, { path, isPacked }: Rotated): boolean {
  try {
    if (isPacked) return markOf(packedHead(path, lengthOf(head))) === head
    const handle = openSync(path, 'r')
    try {
      return isHeadOf(head, handle)
    } finally {
      closeSync(handle)
    }
  } catch {
    return false
  }
}

/** Numbers count backwards, and have fewer digits than a date. */
const shortestDate = 6

/**
 * What a name has more than that of the log: a number or a date after it, or before its ending, as logrotate(8) gives
 * them; `old` is common practice. Null: it is not of this log.
 */
function generationOf(log: string, name: string): string | null {
  const ending = extname(log)
  const stem = log.slice(0, log.length - ending.length)
  for (const [before, after] of [
    [log, ''],
    [stem, ending],
  ] as const) {
    if (!name.startsWith(before) || !name.endsWith(after)) continue
    const more = name.slice(before.length, Math.max(before.length, name.length - after.length))
    if (more === '.old') return '1'
    const digits = more.replace(/\D/g, '')
    // app-1.log is mostly the log of another worker, app-20261201.log is one of a day.
    if (/^[.-]\d[\d.-]*$/.test(more) && (more.startsWith('.') || digits.length >= shortestDate)) return digits
  }
  return null
}

/** Whether a file has a name that a log is rotated to. */
export const isGenerationOf = (log: string, name: string): boolean => generationOf(log, name) !== null

/** Below 0: the first is the older, by its name; by its time, where the names do not say it. */
function byAge(a: Generation, b: Generation): number {
  const [isDateA, isDateB] = [a, b].map(({ generation }) => generation.length >= shortestDate)
  if (isDateA !== isDateB) return a.modified - b.modified
  if (!isDateA) return Number(b.generation) - Number(a.generation)
  const digits = Math.max(a.generation.length, b.generation.length)
  return a.generation.padEnd(digits, '0') < b.generation.padEnd(digits, '0') ? -1 : 1
}

type Generation = Rotated & { generation: string }

const packed = '.gz'

/** Null: it is no file, or went away. Links are not followed: the folder may be somebody else's. */
function fileAt(path: string): Rotated | null {
  try {
    const stats = lstatSync(path)
    if (!stats.isFile()) return null
    return { path, inode: stats.ino, size: stats.size, modified: stats.mtimeMs, isPacked: path.endsWith(packed) }
  } catch {
    return null
  }
}

function filesBeside(path: string): Rotated[] {
  const folder = dirname(path)
  let names: string[] = []
  try {
    names = readdirSync(folder)
  } catch {
    // Not ours to list: what has the name is read all the same.
  }
  return names
    .map((name) => join(folder, name))
    .filter((beside) => beside !== path)
    .flatMap((beside) => fileAt(beside) ?? [])
}

/** Whether a file is the one that was read: an inode alone may have been given to another. */
const isSame = ({ inode, head }: Pick<Position, 'inode' | 'head'>, file: Rotated): boolean =>
  file.inode === inode && (head === undefined || beginsAs(head, file))

/** Where one is by now that was rotated away before; null: it is gone, or packed. */
export function earlierAt(path: string, earlier: Earlier): Rotated | null {
  const file = fileAt(earlier.path)
  if (file && isSame(earlier, file)) return file
  return filesBeside(path).find((each) => isSame(earlier, each)) ?? null
}

/**
 * What was rotated away since a log was read, the oldest first: the rest of the file that was read, under its new name,
 * packed by gzip(1), or as a copy (`copytruncate` of logrotate(8)), and whole files that came and went between.
 * @param inode of the file that has the name now
 */
export function rotatedSince(path: string, was: Position, inode: number): { file: Rotated; from: number }[] {
  const files = filesBeside(path).filter((file) => file.inode !== inode)
  const paths = new Set(files.map((file) => file.path))
  const generations = files
    // While one is being packed it is there twice.
    .filter((file) => !(file.isPacked && paths.has(unpacked(file.path))))
    .flatMap((file): Generation[] => {
      const generation = generationOf(basename(path), basename(unpacked(file.path)))
      return generation === null ? [] : [{ ...file, generation }]
    })
    .sort(byAge)
  const { modified, head } = was
  const isFollowed = (file: Rotated) => was.earlier?.some((earlier) => isSame(earlier, file))
  const fits = (file: Rotated, begins: string) =>
    modified !== undefined &&
    // What copies and packs may keep whole seconds only.
    file.modified >= Math.floor(modified / second) * second &&
    (file.isPacked || file.size >= was.offset) &&
    beginsAs(begins, file)
  const moved = files.find((file) => isSame(was, file))
  const copied = head === undefined ? undefined : generations.findLast((file) => fits(file, head))
  const rest = moved ?? copied
  const at = generations.findIndex((file) => file.path === rest?.path)
  const after = rest?.modified ?? modified ?? Infinity
  // Newer by name and by time: there are programs that count the other way round, and some write to an old file still.
  const between = generations
    .slice(at + 1)
    .filter((file) => file !== rest && (at < 0 ? file.modified > after : file.modified >= after) && !isFollowed(file))
  return [...(rest ? [{ file: rest, from: was.offset }] : []), ...between.map((file) => ({ file, from: 0 }))]
}

const unpacked = (path: string) => (path.endsWith(packed) ? path.slice(0, -packed.length) : path)
