import { createHash } from 'node:crypto'
import type { Stats } from 'node:fs'
import { open, opendir, stat, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import {
  fileAskName,
  fitsPart,
  isPattern,
  matchesPattern,
  partsOf,
  second,
  type FileAsk,
  type FileTold,
  type FilesSeen,
  type Millis,
  type Reading,
} from '#core'
import { onWindows } from '../install/place'
import { steady } from '../clock'
import type { Collect } from './collector'

/** What is looked at of one ask at most: folders may hold millions, and others wait. */
export const fileLimits = {
  entries: 50_000,
  time: 10 * second,
  /** Of files that words are looked for in: so many of the newest, and so much of the end of each. */
  read: 20,
  readBytes: 1024 * 1024,
  digestBytes: 10 * 1024 * 1024,
} as const

/** Said as it is: what was asked for could not be looked at. */
class FileTroubleError extends Error {}

interface Found {
  path: string
  stats: Stats
}

const codeOf = (error: unknown) => (error as NodeJS.ErrnoException).code ?? ''
const isAbsent = (error: unknown) => ['ENOENT', 'ENOTDIR'].includes(codeOf(error))
const troubleOf = (error: unknown, path: string) =>
  new FileTroubleError(
    ['EACCES', 'EPERM'].includes(codeOf(error))
      ? `the agent may not look into ${path}`
      : `${path}: ${codeOf(error) || (error as Error).message}`,
  )

/**
 * Whether /tmp is this program's own: systemd mounts another in its place (PrivateTmp of systemd.exec(5)), out of a
 * folder that is called so.
 * @param mountinfo /proc/self/mountinfo (proc_pid_mountinfo(5))
 */
export const isTmpPrivate = (mountinfo: string): boolean => /\/systemd-private-\S+ \/tmp /.test(mountinfo)

/** What an agent's service of its own never sees as others do (PrivateTmp of systemd.exec(5)). */
const privateFolders = ['tmp', 'var/tmp']

/** Every file that an ask names; folders count as none. @throws FileTroubleError */
async function find(ask: FileAsk, isPrivate: boolean): Promise<Found[]> {
  const parts = partsOf(ask.path)
  if (isPrivate && privateFolders.some((folder) => parts.join('/').startsWith(`${folder}/`)))
    throw new FileTroubleError(
      'the agent’s service has a /tmp and a /var/tmp of its own, and does not see those of others',
    )
  const began = steady()
  let entries = 0
  const count = () => {
    if (++entries > fileLimits.entries)
      throw new FileTroubleError(`there are more than ${fileLimits.entries} entries to look through`)
    if (steady() - began > fileLimits.time)
      throw new FileTroubleError(`it takes longer than ${fileLimits.time / second} s to look through it`)
  }
  const found: Found[] = []
  async function below(folder: string, rest: readonly string[]): Promise<void> {
    const [part, ...more] = rest
    if (part === undefined) return
    if (!isPattern(part)) return step(join(folder, part), more)
    let names
    try {
      names = await opendir(folder)
    } catch (error) {
      if (isAbsent(error)) return
      throw troubleOf(error, folder)
    }
    for await (const { name } of names) {
      count()
      if (fitsPart(part, name)) await step(join(folder, name), more)
    }
  }
  async function step(path: string, rest: readonly string[]): Promise<void> {
    if (rest.length) return below(path, rest)
    try {
      const stats = await stat(path)
      if (stats.isFile()) found.push({ path, stats })
    } catch (error) {
      if (!isAbsent(error)) throw troubleOf(error, path)
    }
  }
  const [drive = ''] = parts
  await (onWindows ? below(`${drive}\\`, parts.slice(1)) : below('/', parts))
  return found
}

async function withOpen<T>(path: string, work: (file: FileHandle) => Promise<T>): Promise<T> {
  let file
  try {
    file = await open(path, 'r')
  } catch (error) {
    throw troubleOf(error, path)
  }
  try {
    return await work(file)
  } finally {
    await file.close()
  }
}

/** Lines at the end of a file with some words; read piece by piece, because an agent has little memory. */
export async function linesWith({ path, stats }: Found, words: string): Promise<number> {
  const pattern = `*${words}*`
  return withOpen(path, async (file) => {
    const piece = Buffer.alloc(64 * 1024)
    let at = Math.max(0, stats.size - fileLimits.readBytes)
    // Files of the kernel have no size, and something in them.
    const end = stats.size || fileLimits.readBytes
    // The line that it begins in the middle of counts with the first piece.
    let rest = ''
    let found = 0
    for (;;) {
      // What was written since is the next look's: a file may grow as quickly as it is read.
      const { bytesRead } = await file.read(piece, 0, Math.min(piece.length, end - at), at)
      if (bytesRead === 0) break
      at += bytesRead
      // Bytes of a letter that is cut in two match no word, and the line goes on.
      const lines = (rest + piece.toString('latin1', 0, bytesRead)).split('\n')
      rest = lines.pop()!.slice(-longestLine)
      for (const line of lines) if (matchesPattern(pattern, decoded(line))) found++
    }
    return rest && matchesPattern(pattern, decoded(rest)) ? found + 1 : found
  })
}
const longestLine = 16_384
const decoded = (line: string) => Buffer.from(line.slice(0, longestLine), 'latin1').toString('utf8')

/** Of what stands in the one file that is meant; undefined: there is none. */
async function digestOf(found: readonly Found[], files: ReadFiles): Promise<string | undefined> {
  const [one, ...others] = found
  if (!one) return undefined
  if (others.length)
    throw new FileTroubleError(`there are ${found.length} files; whether it changes is looked at of one alone`)
  if (one.stats.size > fileLimits.digestBytes)
    throw new FileTroubleError(
      `${one.path} is larger than ${fileLimits.digestBytes / 1024 / 1024} MB: whether it changes is not looked at`,
    )
  return files.of(one, '', () => hashOf(one.path))
}

function hashOf(path: string): Promise<string> {
  return withOpen(path, async (file) => {
    const hash = createHash('sha256')
    const piece = Buffer.alloc(64 * 1024)
    for (let at = 0; ;) {
      const { bytesRead } = await file.read(piece, 0, Math.min(piece.length, fileLimits.digestBytes - at), at)
      if (bytesRead === 0) return hash.digest('hex').slice(0, 32)
      hash.update(piece.subarray(0, bytesRead))
      at += bytesRead
    }
  })
}

/** What was read of files that are there, so that those that did not change since are not read again. */
export class ReadFiles {
  #before = new Map<string, unknown>()
  #now = new Map<string, unknown>()

  /** @param what is read of it */
  async of<T>({ path, stats }: Found, what: string, read: () => Promise<T>): Promise<T> {
    // Whatever is written to a file changes when its entry was changed, which nobody sets.
    const key = [path, stats.ino, stats.size, stats.ctimeMs, what].join('\n')
    const known = this.#now.get(key) ?? this.#before.get(key)
    const value = known === undefined ? await read() : (known as T)
    this.#now.set(key, value)
    return value
  }
  /** A look is over. */
  turn(): void {
    this.#before = this.#now
    this.#now = new Map()
  }
}

/** @throws FileTroubleError when it cannot be said for certain */
export async function seenOf(
  ask: FileAsk,
  isPrivate = false,
  files = new ReadFiles(),
): Promise<FilesSeen & { digest?: string }> {
  const found = await find(ask, isPrivate)
  const times = found.map(({ stats }) => stats.mtimeMs)
  const sizes = found.map(({ stats }) => stats.size)
  let lines: number | null = null
  if (ask.words) {
    lines = 0
    const newest = [...found].sort((a, b) => b.stats.mtimeMs - a.stats.mtimeMs).slice(0, fileLimits.read)
    for (const file of newest) lines += await files.of(file, ask.words, () => linesWith(file, ask.words))
  }
  const digest = ask.digest ? await digestOf(found, files) : undefined
  const most = (list: readonly number[]) => list.reduce((a, b) => Math.max(a, b), -Infinity)
  const least = (list: readonly number[]) => list.reduce((a, b) => Math.min(a, b), Infinity)
  return {
    count: found.length,
    size: sizes.reduce((sum, size) => sum + size, 0),
    largest: Math.max(0, most(sizes)),
    newest: found.length ? most(times) : null,
    oldest: found.length ? least(times) : null,
    lines,
    ...(digest === undefined ? {} : { digest }),
  }
}

export function fileReadings(name: string, seen: FilesSeen, now: Millis): Reading[] {
  const age = (at: Millis) => Math.max(0, (now - at) / second)
  return [
    ['file.count', name, seen.count],
    ['file.size', name, seen.size],
    ['file.largest', name, seen.largest],
    ...(seen.newest === null ? [] : ([['file.newest', name, age(seen.newest)]] satisfies Reading[])),
    ...(seen.oldest === null ? [] : ([['file.oldest', name, age(seen.oldest)]] satisfies Reading[])),
    ...(seen.lines === null ? [] : ([['file.lines', name, seen.lines]] satisfies Reading[])),
  ]
}

/**
 * The files that watches ask for. One that cannot be looked at says so, and costs the others nothing.
 * @param isPrivate the agent runs where /tmp is its own
 */
export function filesCollector(wanted: () => readonly FileAsk[], isPrivate: boolean): Collect {
  const read = new ReadFiles()
  return {
    name: 'files',
    async collect(now) {
      const asks = wanted()
      if (!asks.length) return {}
      const readings: Reading[] = []
      const files: FileTold[] = []
      for (const ask of asks) {
        const name = fileAskName(ask)
        try {
          const { digest, ...seen } = await seenOf(ask, isPrivate, read)
          readings.push(...fileReadings(name, seen, now))
          files.push({ name, ...(digest === undefined ? {} : { digest }) })
        } catch (error) {
          // Whatever it is costs this one alone.
          files.push({ name, trouble: (error as Error).message || codeOf(error) })
        }
      }
      read.turn()
      return { readings, facts: { files } }
    },
  }
}
