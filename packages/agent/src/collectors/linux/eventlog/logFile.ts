import { closeSync, fstatSync, openSync, readSync } from 'node:fs'
import { fileAt, MovingError, tries, whileOpenFor, type Identity } from './beside'
import { readPacked } from './packedLog'
import {
  firstBytes,
  headBytes,
  headOf,
  isHead,
  partsOf,
  type Earlier,
  type Part,
  type Position,
  type Seen,
} from './rotated'

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
 * @param first what it begins with: when that is so no more, it was cut meanwhile, and what is there now is another log
 */
function readLines(
  handle: number,
  from: number,
  size: number,
  first: Buffer,
  isOver: boolean,
  line: (text: string) => void,
): Read {
  let offset = from
  let leftOut = 0
  let isMiddle = false
  const bytes = Buffer.alloc(chunkSize)
  const end = Math.min(size, from + mostBytes)
  while (offset < end) {
    const length = readSync(handle, bytes, 0, Math.min(chunkSize, end - offset), offset)
    if (length === 0 || !firstBytes(handle, first.length).equals(first)) break
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

/** No file has it: what is to be read is known by its time and by what it begins with alone. */
const none = 0

/** So many that were rotated away are still looked at, as long as they are there. */
const mostEarlier = 3
/** Of so many that are packed it is known that they were read. */
const mostPacks = 8

/**
 * Reads what was appended to a log since the last look. A log that was rotated, once or several times, is read to its
 * end under its new names, and its successor from the beginning; one that was cut begins anew, after what a copy has of
 * it. What does not fit in one look is read at the next. Of a log that was never read before, the end is read.
 * @throws Error where the file is not there, or not ours to read
 */
export async function readAppended(path: string, was: Position | undefined, line: OnLine): Promise<Appended> {
  for (let i = 0; ; i++) {
    const handle = openSync(path, 'r')
    try {
      return await readOpen(path, handle, was, line)
    } catch (error) {
      // Nothing was read yet. Soon all is in its new place.
      if (!(error instanceof MovingError) || i >= tries) throw error
    } finally {
      closeSync(handle)
    }
  }
}

async function readOpen(path: string, handle: number, was: Position | undefined, line: OnLine): Promise<Appended> {
  // Of what is open, not of what has the name by now.
  const now = seenIn(handle)
  if (!was) return readEnd(handle, now, line)
  const isRead = was.inode === now.inode && was.offset <= now.size && isAsBefore(was, now)
  const { earlier, since } = partsOf(path, was, isRead ? null : now)
  if (!isRead && fileAt(path)?.inode !== now.inode) throw new MovingError()
  const packs = [...(was.packs ?? [])]
  const before = await inTurn(earlier, (each) => readEarlier(path, each.was, each.part, packs, line))
  const read =
    isRead && was.offset > 0
      ? readFrom(handle, now, placeIn(was), false, line)
      : await readSince(path, was, since, handle, now, packs, line)
  const { position, leftOut } = joined(
    before.reduce((sum, each) => sum + each.leftOut, 0),
    read,
    before.flatMap(({ file }) => file ?? []),
  )
  return { position: packs.length ? { ...position, packs: packs.slice(-mostPacks) } : position, leftOut }
}

/** @throws MovingError where it is cut at this moment */
function seenIn(handle: number): Seen {
  const { ino: inode, birthtimeMs: born, size, mtimeMs: modified } = fstatSync(handle)
  const first = firstBytes(handle, size)
  if (first.length < Math.min(headBytes, size)) throw new MovingError()
  return { inode, born, size, modified, first }
}

/** One of which nothing was read yet may have been filled, copied and cut since. */
const isAsBefore = ({ head, modified }: Position, now: Seen): boolean =>
  head === undefined ? modified === undefined || now.modified === modified : isHead(head, now.first)

async function inTurn<T, R>(all: readonly T[], work: (each: T) => Promise<R>): Promise<R[]> {
  const done: R[] = []
  for (const each of all) done.push(await work(each))
  return done
}

/** Of those before, the ones are kept that were written last: a program may never open its log anew. */
function joined(before: number, { position, leftOut }: Appended, earlier: readonly Earlier[]): Appended {
  const all = [...earlier, ...(position.earlier ?? [])]
  const last = new Set(all.toSorted((a, b) => (b.modified ?? 0) - (a.modified ?? 0)).slice(0, mostEarlier))
  const kept = all.filter((each) => last.has(each))
  return { position: { ...position, ...(kept.length ? { earlier: kept } : {}) }, leftOut: before + leftOut }
}

/**
 * @param from how far it was read, and what it began with then
 * @param isOver nothing will be appended, so that its last line needs no end
 */
function readFrom(
  handle: number,
  { inode, born, size, modified, first }: Seen,
  from: Pick<Position, 'offset' | 'head'>,
  isOver: boolean,
  line: OnLine,
): Appended {
  // Cut since it was looked up, it is read as that at the next look.
  if (from.head !== undefined && !isHead(from.head, first))
    return { position: { inode, born, modified, ...from }, leftOut: 0 }
  const { offset, leftOut } = readLines(handle, from.offset, size, first, isOver, line)
  const head = headOf(first, offset) ?? from.head
  return { position: { inode, born, offset, modified, ...(head === undefined ? {} : { head }) }, leftOut }
}

const placeIn = ({ offset, head }: Pick<Position, 'offset' | 'head'>) => ({
  offset,
  ...(head === undefined ? {} : { head }),
})

function readEnd(handle: number, now: Seen, line: OnLine): Appended {
  const from = Math.max(0, now.size - firstRead)
  // It begins somewhere within a line.
  let isMiddle = from > 0
  return readFrom(handle, now, { offset: from }, false, (text) => {
    if (!isMiddle) line(text)
    isMiddle = false
  })
}

async function readSince(
  path: string,
  was: Position,
  since: readonly Part[],
  handle: number,
  now: Seen,
  packs: Identity[],
  line: OnLine,
): Promise<Appended> {
  let [leftOut, bytes] = [0, 0]
  const { earlier: _before, packs: _packs, ...start } = was
  let position: Position = start
  const earlier: Earlier[] = []
  /** The next look goes on here, with whatever has become of that: of the others nothing later is known. */
  const soFar = () => {
    const inode = position.inode === now.inode ? none : position.inode
    const modified = was.modified === undefined ? {} : { modified: was.modified }
    return joined(
      leftOut,
      { position: { ...position, ...modified, inode }, leftOut: 0 },
      earlier.filter((each) => each.inode !== position.inode),
    )
  }
  for (const part of since) {
    const read = await readPart(path, part, packs, line)
    if (read === 'gone') return soFar()
    if (!read) continue
    const { file, from } = part
    position = read.position
    leftOut += read.leftOut
    bytes += Math.max(0, position.offset - from)
    if ((!file.isPacked && position.offset < file.size) || bytes >= mostBytes) return soFar()
    if (!file.isPacked) earlier.push({ ...position, path: file.path })
  }
  const read = readFrom(handle, now, { offset: 0 }, false, line)
  // It may have been cut since it was looked up which files there are: then a copy has what it was.
  return now.size > 0 && read.position.offset === 0 ? soFar() : joined(leftOut, read, earlier)
}

/**
 * @param packs gets what was read of packed ones
 * @returns null: it is not ours to read, or broken
 */
async function readPart(
  log: string,
  { file, from, head }: Part,
  packs: Identity[],
  line: OnLine,
): Promise<Appended | 'gone' | null> {
  try {
    return await whileOpenFor(log, file, async (handle) => {
      if (!file.isPacked)
        return readFrom(handle, seenIn(handle), placeIn({ offset: Math.min(from, file.size), head }), true, line)
      const { size, leftOut } = await readPacked(handle, from, mostBytes, line)
      packs.push({ inode: file.inode, born: file.born })
      return { position: { inode: file.inode, born: file.born, offset: size, modified: file.modified }, leftOut }
    })
  } catch (error) {
    if (error instanceof MovingError) return 'gone'
    // Of the system, or of gzip.
    if ('code' in (error as Error)) return null
    throw error
  }
}

/**
 * Lines that a program has written to a file after that was rotated away, until it opened the new one.
 * @returns without it, when it is gone or was packed
 */
async function readEarlier(
  log: string,
  was: Earlier,
  part: Part | null,
  packs: Identity[],
  line: OnLine,
): Promise<{ file?: Earlier; leftOut: number }> {
  if (!part || (!part.file.isPacked && part.file.size < was.offset)) return { leftOut: 0 }
  const { path } = part.file
  if (!part.file.isPacked && part.file.size === was.offset) return { leftOut: 0, file: { ...was, path } }
  const read = await readPart(log, part, packs, line)
  if (read === 'gone') return { leftOut: 0, file: was }
  if (!read) return { leftOut: 0 }
  return { leftOut: read.leftOut, ...(part.file.isPacked ? {} : { file: { ...read.position, path } }) }
}
