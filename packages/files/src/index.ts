import { closeSync, existsSync, fsyncSync, openSync, readFileSync, renameSync, rmSync, writeSync } from 'node:fs'
import { dirname } from 'node:path'

/** What a folder lists is on disk, too. Some file systems have no such thing and refuse. */
function flushFolder(folder: string): void {
  if (process.platform === 'win32') return
  const handle = openSync(folder, 'r')
  try {
    fsyncSync(handle)
  } catch {
    // Then the file itself is all that could be done.
  } finally {
    closeSync(handle)
  }
}

/** Written whole or not at all, and on disk when this returns: a power cut leaves the old file or the new one. */
export function writeWhole(file: string, text: string): void {
  const fresh = `${file}.new`
  const bytes = Buffer.from(text, 'utf8')
  // A file of its own making, whatever lies there: what was half written, or a link that somebody has laid.
  rmSync(fresh, { force: true })
  const handle = openSync(fresh, 'wx', 0o600)
  try {
    for (let written = 0; written < bytes.length;) written += writeSync(handle, bytes, written)
    fsyncSync(handle)
  } finally {
    closeSync(handle)
  }
  renameSync(fresh, file)
  flushFolder(dirname(file))
}

/** What a file holds; null where there is none, or it cannot be read: such a file counts as absent. */
export function readJson<T>(
  file: string,
  isWhole: (value: unknown) => boolean = (value) => typeof value === 'object' && value !== null,
): T | null {
  if (!existsSync(file)) return null
  try {
    const value = JSON.parse(readFileSync(file, 'utf8')) as unknown
    return isWhole(value) ? (value as T) : null
  } catch {
    return null
  }
}
