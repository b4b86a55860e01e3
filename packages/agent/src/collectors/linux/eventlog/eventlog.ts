import { existsSync, readdirSync, statSync } from 'node:fs'
import { basename, join } from 'node:path'
import { matchesAny, minute, type LogChannel, type LogEvent, type LogKeeping, type Millis } from '#core'
import { steady } from '../../../clock'
import { NotHereError, type Collect } from '../../collector'
import { readJournal } from './journal'
import { Keep } from '../../keep'
import { readAppended } from './logFile'
import { LineJoiner, type LogForm } from './joinLines'
import { parseLogLine, readProgramEntry } from './logLine'
import { isGenerationOf } from './generation'
import type { Position } from './rotated'

/** Read wherever there is no journal; all others only where somebody wants them. */
const ordinary = ['syslog', 'messages', 'auth.log', 'kern.log', 'dpkg.log']
const looksLikeLog = /(\.log|\.err|\.warn|\.info|_log|(^|\/)log\.\w+|(^|\/)(syslog|messages))$/
const mostLogs = 200

/**
 * The logs below a folder, two levels deep, by their names there, the ordinary ones first; those that were rotated away
 * are left out.
 */
export function logsBelow(folder: string): string[] {
  const names = allBelow(folder)
  return [...names.filter((name) => ordinary.includes(name)), ...names.filter((name) => !ordinary.includes(name))]
}

function allBelow(folder: string, below = ''): string[] {
  const entries = existsSync(join(folder, below)) ? readdirSync(join(folder, below), { withFileTypes: true }) : []
  return entries
    .flatMap((entry) => {
      const name = below ? `${below}/${entry.name}` : entry.name
      if (entry.isDirectory()) {
        try {
          return below ? [] : allBelow(folder, name)
        } catch {
          // A folder of somebody else's.
          return []
        }
      }
      return entry.isFile() && looksLikeLog.test(name) ? [name] : []
    })
    .sort()
}

const checkAgain: Millis = 10 * minute

/** How far the logs were read. */
interface Place {
  files: Record<string, FilePlace>
  cursor: string | null
  /** When it was looked last which logs there are. */
  listedAt: Millis | null
}
type FilePlace = Position & { form?: LogForm }

/** What was kept before counts only where it has the shape; else nothing was read yet. */
function placeFrom(kept: unknown): Place {
  const { files, cursor, listedAt } = (kept ?? {}) as Partial<Place>
  return {
    files: typeof files === 'object' && files !== null ? files : {},
    cursor: typeof cursor === 'string' ? cursor : null,
    listedAt: typeof listedAt === 'number' ? listedAt : null,
  }
}

/** Of logs that are gone, or that nobody wants any more, so many places are remembered. */
const mostOthers = 200

/** The places of the logs that were read, and of others those that were written last. */
function placesKept(files: Readonly<Record<string, FilePlace>>, read: ReadonlySet<string>): Record<string, FilePlace> {
  const all = Object.entries(files)
  const others = all
    .filter(([path]) => !read.has(path))
    .sort(([, a], [, b]) => (b.modified ?? 0) - (a.modified ?? 0))
    .slice(0, mostOthers)
  return Object.fromEntries([...all.filter(([path]) => read.has(path)), ...others])
}

export interface EventlogOptions {
  /** How far it had read when the program ended; anything: nothing was read yet. */
  place?: unknown
  /** Names of logs, as patterns, that are read beyond the ordinary ones. */
  wanted?: () => readonly string[]
  /** Which entries are told; null: all of them. */
  keeping?: () => LogKeeping | null
  folder?: string
}

export function eventlogCollector({
  place: kept,
  wanted = () => [],
  keeping = () => null,
  folder = '/var/log',
}: EventlogOptions = {}): Collect {
  let place = placeFrom(kept)
  let logs: string[] = []
  let lookedAt: Millis | null = null
  /** Since when a log must be there to be news as a whole; null: of none it is known. */
  let newSince: Millis | null = null
  let listedAt = place.listedAt

  return {
    name: 'eventlog',
    async collect(now) {
      const hasJournal =
        existsSync('/run/systemd/journal/socket') &&
        ['/usr/bin/journalctl', '/bin/journalctl'].some((path) => existsSync(path))
      if (lookedAt === null || steady() - lookedAt >= checkAgain) {
        logs = logsBelow(folder)
        lookedAt = steady()
        newSince = listedAt
        listedAt = now
      }
      const chosen = logs
        .filter((name) => (!hasJournal && ordinary.includes(name)) || matchesAny(wanted(), name))
        .slice(0, mostLogs)
      const keep = new Keep(keeping())
      const cursor = hasJournal ? await readJournal(place.cursor, keep) : place.cursor
      const files = { ...place.files }
      const troubles = new Map<string, string>()
      for (const name of chosen) {
        const path = join(folder, name)
        const was = files[path] ?? startOf(path, logs, files, newSince)
        // What stood there before the first look was not written now, and is no news.
        const seen = was ? now : null
        const add = (event: LogEvent | null) => {
          if (event) keep.add(was ? event : { ...event, old: true })
        }
        const joiner = new LineJoiner(was?.form, ({ head, rest }) => add(readProgramEntry(head, rest, name, now, seen)))
        const isOrdinary = ordinary.includes(name)
        try {
          const read = await readAppended(path, was, (line) =>
            isOrdinary ? add(parseLogLine(line, name, now)) : joiner.line(line),
          )
          joiner.end()
          files[path] = isOrdinary ? read.position : { ...read.position, form: joiner.form }
          keep.skip(read.leftOut)
        } catch (error) {
          // It was rotated away this moment, or is not ours to read: the others count.
          troubles.set(name, (error as Error).message.slice(0, 200))
        }
      }
      const told: LogChannel[] = [
        ...(hasJournal ? [{ name: 'journal', collected: true }] : []),
        ...logs.map((name) => ({ name, collected: chosen.includes(name) })),
      ].map((path) =>
        troubles.has(path.name) ? { name: path.name, collected: false, trouble: troubles.get(path.name)! } : path,
      )
      if (!told.length) throw new NotHereError('no journal and no log files here')
      place = { files: placesKept(files, new Set(chosen.map((name) => join(folder, name)))), cursor, listedAt }
      return { ...keep.take(), facts: { logs: listed(told) }, place }
    },
  }
}

/**
 * Where a log begins that nobody has read and that was made since it was looked which there are: all of it is news.
 * Undefined: it stood there before, or is another one under a new name.
 */
function startOf(
  path: string,
  logs: readonly string[],
  files: Readonly<Record<string, FilePlace>>,
  newSince: Millis | null,
): FilePlace | undefined {
  if (newSince === null || logs.some((log) => isGenerationOf(basename(log), basename(path)))) return undefined
  try {
    const { ino, birthtimeMs } = statSync(path)
    const isKnown = Object.values(files).some((file) =>
      [file, ...(file.earlier ?? [])].some(({ inode }) => inode === ino),
    )
    return birthtimeMs >= newSince && !isKnown ? { inode: ino, offset: 0 } : undefined
  } catch {
    return undefined
  }
}

/** Those that are read come first, so that a bound never leaves one of them out. */
function listed(logs: readonly LogChannel[]): LogChannel[] {
  const first = (channel: LogChannel) =>
    channel.collected || channel.trouble !== undefined || ordinary.includes(channel.name)
  return [...logs.filter(first), ...logs.filter((log) => !first(log))].slice(0, mostLogs + 1)
}
