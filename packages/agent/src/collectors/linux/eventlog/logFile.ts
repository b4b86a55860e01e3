import { closeSync, fstatSync, openSync, readSync } from 'node:fs'
import { readPacked } from './packedLog'
import { earlierAt, headOf, isHeadOf, rotatedSince, type Earlier, type Position, type Rotated } from './rotated'

/** One look reads so much of a file at most; the next goes on from there. */
const mostBytes = 4 * 1024 * 1024
const chunkSize = 128 * 1024
const firstRead = 4000

interface Read {
  offset: number
  leftOut: number
}

/**
 * Reads whole lines from a place on. A line that is still being written waits for the next look; one that is longer
 * than a chunk is passed by and counted, so that nothing behind it waits.
 */
function readLines(handle: number, from: number, size: number, isOver: boolean, line: (text: string) => void): Read {
  let offset = from
  let leftOut = 0
  let isMiddle = false
  const bytes = Buffer.alloc(chunkSize)
  const end = Math.min(size, from + mostBytes)
  while (offset < end) {
    const length = readSync(handle, bytes, 0, Math.min(chunkSize, end - offset), offset)
    if (length === 0) break
    const isLast = offset + length >= size
    const whole = isLast && isOver ? length : bytes.subarray(0, length).lastIndexOf(10) + 1
    if (whole === 0) {
      if (length < chunkSize) break
      if (!isMiddle) leftOut++
      isMiddle = true
      offset += length
      continue
    }
    const text = bytes.subarray(0, whole).toString('utf8')
    const lines = text.split('\n')
    // The rest of a line that was passed by.
    if (isMiddle) lines.shift()
    isMiddle = false
    for (const whole of lines) if (whole) line(whole)
    offset += whole
  }
  return { offset, leftOut }
}

type OnLine = (text: string) => void

interface Appended {
  position: Position
  /** Lines that were passed by, because they are too long. */
  leftOut: number
}

/** So many that were rotated away are still looked at, as long as they are there and not packed. */
const mostEarlier = 3

/**
 * Reads what was appended to a log since the last look. A log that was rotated, once or several times, is read to its
 * end under its new names, and its successor from the beginning; one that was cut begins anew, after what a copy has of
 * it. What does not fit in one look is read at the next. Of a log that was never read before, the end is read.
 * @throws Error where the file is not there, or not ours to read
 */
export async function readAppended(path: string, was: Position | undefined, line: OnLine): Promise<Appended> {
  const handle = openSync(path, 'r')
  try {
    // Of what is open, not of what has the name by now.
    const { ino, size } = fstatSync(handle)
    if (!was) return readEnd(handle, line)
    const before = (was.earlier ?? []).map((file) => readEarlier(path, file, line))
    const leftOut = before.reduce((sum, read) => sum + read.leftOut, 0)
    const earlier = before.flatMap(({ file }) => file ?? [])
    if (was.inode === ino && was.offset <= size && isHeadOf(was.head, handle))
      return joined(leftOut, readFrom(handle, was.offset, false, line), earlier)
    return joined(leftOut, await readRotated(path, was, handle, ino, line), earlier)
  } finally {
    closeSync(handle)
  }
}

function joined(before: number, { position, leftOut }: Appended, earlier: readonly Earlier[]): Appended {
  const all = [...earlier, ...(position.earlier ?? [])].slice(-mostEarlier)
  return { position: { ...position, ...(all.length ? { earlier: all } : {}) }, leftOut: before + leftOut }
}

/** @param isOver nothing will be appended, so that its last line needs no end */
function readFrom(handle: number, from: number, isOver: boolean, line: OnLine): Appended {
  const { ino, size, mtimeMs } = fstatSync(handle)
  const { offset, leftOut } = readLines(handle, from, size, isOver, line)
  const head = headOf(handle, offset)
  const position = { inode: ino, offset, modified: mtimeMs, ...(head === undefined ? {} : { head }) }
  return { position, leftOut }
}

function readEnd(handle: number, line: OnLine): Appended {
  const from = Math.max(0, fstatSync(handle).size - firstRead)
  // It begins somewhere within a line.
  let isMiddle = from > 0
  return readFrom(handle, from, false, (text) => {
    if (!isMiddle) line(text)
    isMiddle = false
  })
}

async function readRotated(
  path: string,
  was: Position,
  handle: number,
  inode: number,
  line: OnLine,
): Promise<Appended> {
  let [leftOut, bytes] = [0, 0]
  const earlier: Earlier[] = []
  for (const { file, from } of rotatedSince(path, was, inode)) {
    const read = file.isPacked ? await readWhole(file, from, line) : readRest(file, from, line)
    if (!read) continue
    const { offset } = read.position
    leftOut += read.leftOut
    bytes += Math.max(0, offset - from)
    if ((!file.isPacked && offset < file.size) || bytes >= mostBytes)
      return joined(leftOut, { ...read, leftOut: 0 }, earlier)
    if (!file.isPacked) earlier.push(earlierOf(file, read.position))
  }
  return joined(leftOut, readFrom(handle, 0, false, line), earlier)
}

const readRest = (file: Rotated, from: number, line: OnLine): Appended | null =>
  whileOpen(file.path, (handle) => readFrom(handle, Math.min(from, file.size), true, line))

async function readWhole({ path, inode, modified }: Rotated, from: number, line: OnLine): Promise<Appended | null> {
  try {
    const { size, leftOut } = await readPacked(path, from, mostBytes, line)
    return { position: { inode, offset: size, modified }, leftOut }
  } catch {
    // It is gone, not ours to read, or no gzip.
    return null
  }
}

/**
 * Lines that a program has written to a file after that was rotated away, until it opened the new one.
 * @returns without it, when it is gone or packed
 */
function readEarlier(path: string, earlier: Earlier, line: OnLine): { file?: Earlier; leftOut: number } {
  const file = earlierAt(path, earlier)
  if (!file || file.isPacked || file.size < earlier.offset) return { leftOut: 0 }
  if (file.size === earlier.offset) return { leftOut: 0, file: { ...earlier, path: file.path } }
  const read = readRest(file, earlier.offset, line)
  if (!read) return { leftOut: 0 }
  return { leftOut: read.leftOut, file: earlierOf(file, read.position) }
}

const earlierOf = ({ path }: Rotated, { inode, offset, head }: Position): Earlier => ({
  path,
  inode,
  offset,
  ...(head === undefined ? {} : { head }),
})

/** Null: it is gone, or not ours to read. */
function whileOpen<T>(path: string, work: (handle: number) => T): T | null {
  let handle: number
  try {
    handle = openSync(path, 'r')
  } catch {
    return null
  }
  try {
    return work(handle)
  } finally {
    closeSync(handle)
  }
}
