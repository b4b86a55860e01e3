import { closeSync, constants, fstatSync, lstatSync, openSync, readdirSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { isPacked, mayBeOf } from './generation'

/** Which file it is, whatever it is called: an inode alone is given to another one as soon as it is free. */
export interface Identity {
  inode: number
  born: number
}
export const isThat = (a: Identity, b: Identity): boolean => a.inode === b.inode && a.born === b.born

/** A file beside a log, under the name that it has by now. */
export interface Beside extends Identity {
  path: string
  /** As it lies there: of one that is packed not that of what is in it. */
  size: number
  modified: number
  isPacked: boolean
}

/** Files get other names at this moment: what was looked up may be wrong, and is to be looked up again. */
export class MovingError extends Error {
  constructor() {
    super('its files are being renamed; it is read at the next look')
  }
}

/** How often something is looked up anew that changed meanwhile. */
export const tries = 5

/** Null: it is no file, or went away. Links are not followed: the folder may be somebody else's. */
export function fileAt(path: string): Beside | null {
  try {
    const stats = lstatSync(path)
    if (!stats.isFile()) return null
    return {
      path,
      inode: stats.ino,
      born: stats.birthtimeMs,
      size: stats.size,
      modified: stats.mtimeMs,
      isPacked: isPacked(path),
    }
  } catch {
    return null
  }
}

function list(log: string): Beside[] {
  const folder = dirname(log)
  let names: string[] = []
  try {
    names = readdirSync(folder)
  } catch {
    // Not ours to list: what has the name is read all the same.
  }
  return names
    .map((name) => join(folder, name))
    .filter((path) => path !== log)
    .flatMap((path) => fileAt(path) ?? [])
}

/**
 * All files beside a log. A folder is not listed in one moment: one that is renamed meanwhile may be missing, or be
 * there twice. So it is listed until twice the same was seen of what may be the log's.
 * @param wanted inodes of files that are looked for, whatever they are called
 * @throws MovingError
 */
export function filesBeside(log: string, wanted: ReadonlySet<number>): Beside[] {
  const names = (files: readonly Beside[]) =>
    files
      .filter(({ path, inode }) => wanted.has(inode) || mayBeOf(log, path))
      .map(({ path, inode }) => `${inode} ${path}`)
      .sort()
      .join('\n')
  let files = list(log)
  for (let i = 0; i < tries; i++) {
    const again = list(log)
    if (names(files) === names(again)) return again
    files = again
  }
  throw new MovingError()
}

/**
 * Opens a file to look into it, under whatever name it has by then.
 * @returns what came of the work; null: it is not ours to read
 * @throws MovingError where it is gone, or packed
 */
export function whileOpen<T>(log: string, file: Beside, work: (handle: number) => T): T | null {
  const handle = openAs(log, file)
  if (handle === null) return null
  try {
    return work(handle)
  } finally {
    closeSync(handle)
  }
}

/** The same, for work that others go on beside. */
export async function whileOpenFor<T>(
  log: string,
  file: Beside,
  work: (handle: number) => Promise<T>,
): Promise<T | null> {
  const handle = openAs(log, file)
  if (handle === null) return null
  try {
    return await work(handle)
  } finally {
    closeSync(handle)
  }
}

/** A named pipe that nobody writes to would keep whoever opens it. */
const readOnly = constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK

function openAs(log: string, file: Beside): number | null {
  let name: string | undefined = file.path
  for (let i = 0; i < tries && name !== undefined; i++) {
    try {
      const handle = openSync(name, readOnly)
      const { ino: inode, birthtimeMs: born } = fstatSync(handle)
      if (isThat(file, { inode, born })) return handle
      closeSync(handle)
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EACCES') return null
    }
    name = filesBeside(log, new Set([file.inode])).find(({ inode }) => inode === file.inode)?.path
  }
  throw new MovingError()
}
