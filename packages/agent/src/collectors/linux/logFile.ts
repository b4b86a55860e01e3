import { closeSync, fstatSync, openSync, readdirSync, readSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'

/** How far a file was read: which file, by its inode, and how many bytes of it. */
export interface Position {
  inode: number
  offset: number
}

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

/** The file that was rotated away, by its inode, beside the one that has its name now; null: it is gone, or packed. */
function rotated(path: string, inode: number): string | null {
  const folder = dirname(path)
  try {
    return (
      readdirSync(folder)
        .map((name) => join(folder, name))
        .find((candidate) => candidate !== path && !candidate.endsWith('.gz') && statQuietly(candidate) === inode) ??
      null
    )
  } catch {
    return null
  }
}

function statQuietly(path: string): number | null {
  try {
    return statSync(path).ino
  } catch {
    return null
  }
}

/**
 * Reads what was appended to a log since the last look. A log that was rotated is read to its end under its new name,
 * and its successor from the beginning; one that was cut begins anew. Of a log that was never read before, the end is
 * read.
 * @returns how far it was read, and how many lines were passed by
 * @throws Error where the file is not there, or not ours to read
 */
export function readAppended(
  path: string,
  was: Position | undefined,
  line: (text: string) => void,
): { position: Position; leftOut: number } {
  const handle = openSync(path, 'r')
  try {
    // Of what is open, not of what has the name by now.
    const { ino, size } = fstatSync(handle)
    let leftOut = 0
    if (was && was.inode !== ino) leftOut += readRest(path, was, line)
    const from = was?.inode === ino ? (was.offset <= size ? was.offset : 0) : was ? 0 : Math.max(0, size - firstRead)
    let isFirst = !was && from > 0
    const read = readLines(handle, from, size, false, (text) => {
      // It begins somewhere within a line.
      if (!isFirst) line(text)
      isFirst = false
    })
    return { position: { inode: ino, offset: read.offset }, leftOut: leftOut + read.leftOut }
  } finally {
    closeSync(handle)
  }
}

function readRest(path: string, was: Position, line: (text: string) => void): number {
  const old = rotated(path, was.inode)
  if (old === null) return 0
  let handle: number
  try {
    handle = openSync(old, 'r')
  } catch {
    return 0
  }
  try {
    const { size } = fstatSync(handle)
    return readLines(handle, Math.min(was.offset, size), size, true, line).leftOut
  } finally {
    closeSync(handle)
  }
}
