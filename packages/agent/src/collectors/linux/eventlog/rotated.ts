import { createHash } from 'node:crypto'
import { readSync } from 'node:fs'
import { second } from '#core'
import { fileAt, filesBeside, isThat, whileOpen, type Beside, type Identity } from './beside'
import { generationsOf, unpacked } from './generation'
import { packedHead } from './packedLog'

/** How far a file was read: which file, and how many bytes of it. */
export interface Position {
  inode: number
  offset: number
  /** When it was made, as far as its file system knows that. */
  born?: number
  /** When it had been written last. */
  modified?: number
  /** What it begins with: an inode is given to another file as soon as it is free, and a copy has one of its own. */
  head?: string
  /** Those before it; a program may go on writing to them until it is told to open the new one. */
  earlier?: Earlier[]
  /** Those of before that are packed and were read: how late they were written to says nothing of that. */
  packs?: Identity[]
}

/** How far one file was read. */
type Place = Omit<Position, 'earlier' | 'packs'>

export type Earlier = Place & { path: string }

/** A file is known by so many of its first bytes. */
export const headBytes = 1024

export function firstBytes(handle: number, most = headBytes): Buffer {
  const bytes = Buffer.alloc(Math.min(headBytes, most))
  return bytes.subarray(0, readSync(handle, bytes, 0, bytes.length, 0))
}
/** What those come to that stand before an offset; undefined: there are none, or not all of them were read. */
export function headOf(first: Buffer, offset: number): string | undefined {
  const length = Math.min(headBytes, offset)
  return length === 0 || first.length < length ? undefined : markOf(first.subarray(0, length))
}
const markOf = (head: Buffer) => `${head.length}:${createHash('sha256').update(head).digest('hex').slice(0, 16)}`
const lengthOf = (head: string) => Number.parseInt(head, 10)

/** Whether a file begins as the one did that was read. */
export const isHead = (head: string, first: Buffer): boolean => headOf(first, lengthOf(head)) === head
const isHeadOf = (head: string | undefined, handle: number): boolean =>
  head === undefined || isHead(head, firstBytes(handle, lengthOf(head)))

function beginsAs(log: string, head: string, file: Beside): boolean {
  return (
    whileOpen(log, file, (handle) => {
      if (!file.isPacked) return isHeadOf(head, handle)
      try {
        return markOf(packedHead(handle, lengthOf(head))) === head
      } catch {
        return false
      }
    }) ?? false
  )
}

/** Whether a file is the one that was read: an inode alone may have been given to another. */
const isSame = (log: string, { inode, born, head }: Place, file: Beside): boolean =>
  file.inode === inode && (head === undefined ? born === undefined || born === file.born : beginsAs(log, head, file))

/** Where something of a log stands that was not read yet. */
export interface Part {
  file: Beside
  from: number
  /** What it began with when it was read so far. */
  head?: string
}

/** What is to be read of the files of a log. */
export interface Parts {
  /** What may have been written still to those that were rotated away before; null: it is gone. */
  earlier: { was: Earlier; part: Part | null }[]
  /**
   * What was rotated away since it was read, the oldest first: the rest of the file that was read, under its new name,
   * packed by gzip(1), or as a copy (`copytruncate` of logrotate(8)), and whole files that came and went between.
   */
  since: Part[]
}

/** What a file was like at a moment. */
export interface Seen {
  inode: number
  born: number
  size: number
  modified: number
  /** What it began with. */
  first: Buffer
}

/**
 * @param now the file that has the name; null: it is the one that was read
 * @throws MovingError
 */
export function partsOf(log: string, was: Position, now: Seen | null): Parts {
  const before = was.earlier ?? []
  const stayed = before.map((earlier) => {
    const file = fileAt(earlier.path)
    return file && isSame(log, earlier, file) ? file : null
  })
  if (now === null && stayed.every((file) => file !== null))
    return { earlier: before.map((each, i) => partOf(each, stayed[i] ?? null)), since: [] }
  const wanted = [was, ...before].map((each) => each.inode)
  const files = filesBeside(log, new Set(wanted)).filter((file) => file.inode !== (now ?? was).inode)
  const generations = generationsOf(log, files).filter((file) => !was.packs?.some((pack) => isThat(pack, file)))
  const moved = (each: Place) => files.find((file) => isSame(log, each, file))
  const found = before.map((each) => moved(each) ?? packedOf(log, each, generations) ?? null)
  const earlier = before.map((each, i) => partOf(each, found[i] ?? null))
  if (now === null) return { earlier, since: [] }
  const since = partsSince(was, moved(was) ?? copyOf(log, was, generations), generations, found).filter(
    ({ file }) => !isBeingCut(log, file, now),
  )
  return { earlier, since }
}

const partOf = (was: Earlier, file: Beside | null) => ({ was, part: file && restOf(was, file) })
const restOf = ({ offset, head }: Place, file: Beside): Part => ({
  file,
  from: offset,
  ...(head === undefined ? {} : { head }),
})

/** Whether a file is a copy of one that is about to be cut: what is in it is read there, as long as it is. */
function isBeingCut(log: string, file: Beside, now: Seen): boolean {
  if (file.isPacked || file.size === 0 || file.size > now.size) return false
  const length = Math.min(headBytes, file.size)
  return beginsAs(log, markOf(now.first.subarray(0, length)), file)
}

/** What copies and packs may keep no more of a time. */
const wholeSecond = (at: number) => Math.floor(at / second) * second

/** The newest that begins as a file did that was read, and has what was not. */
function copyOf(log: string, { head, modified, offset }: Place, generations: readonly Beside[]) {
  if (head === undefined || modified === undefined) return undefined
  return generations.findLast(
    (file) =>
      file.modified >= wholeSecond(modified) && (file.isPacked || file.size >= offset) && beginsAs(log, head, file),
  )
}

/** What became of one that is not there any more: gzip(1) keeps its name. */
function packedOf(log: string, was: Earlier, generations: readonly Beside[]): Beside | undefined {
  const packs = generations.filter((file) => file.isPacked)
  if (was.head !== undefined) return copyOf(log, was, packs)
  return packs.find((file) => unpacked(file.path) === was.path && file.modified > (was.modified ?? Infinity))
}

function partsSince(
  was: Position,
  rest: Beside | undefined,
  generations: readonly Beside[],
  followed: readonly (Beside | null)[],
): Part[] {
  // Not when the rest was written: its program may be writing to it still.
  const after = was.modified ?? rest?.modified ?? Infinity
  const isNews = (file: Beside) => file.path !== rest?.path && !followed.some((each) => each?.path === file.path)
  const at = rest ? generations.findIndex((file) => file.path === rest.path) : -1
  // Newer by name and by time: there are programs that count the other way round, and some write to an old file still.
  // One of which nothing was read may have been filled, copied and cut before it was rotated away.
  const between =
    rest && was.offset > 0
      ? generations.slice(at + 1).filter((file) => isNews(file) && file.modified >= wholeSecond(after))
      : generations.filter((file) => isNews(file) && file.modified > after)
  const whole = between.map((file) => ({ file, from: 0 }))
  if (!rest) return whole
  // In their order, as far as it is known.
  const older = was.offset > 0 ? 0 : between.filter((file) => generations.indexOf(file) < at).length
  return [...whole.slice(0, older), restOf(was, rest), ...whole.slice(older)]
}
