import { closeSync, existsSync, openSync, readdirSync, readFileSync, readSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { matchesAny, minute, type LogChannel, type LogEvent, type Millis } from '#core'
import { NotHere, type Collect } from './collector'
import { command } from './command'
import { parseJournalLine, parseLogLine, readProgramLine } from './logLine'

const most = 400
interface Position { inode: number; offset: number }

/** Read wherever there is no journal; all others only where somebody wants them. */
const ordinary = ['syslog', 'messages', 'auth.log', 'kern.log', 'dpkg.log']
const looksLikeLog = /(\.log|\.err|\.warn|\.info|_log|(^|\/)log\.\w+|(^|\/)(syslog|messages))$/
const mostLogs = 200

/** The logs below a folder, two levels deep, by their names there; those that were rotated away are left out. */
export function logsBelow(folder: string, below = ''): string[] {
  const entries = existsSync(join(folder, below)) ? readdirSync(join(folder, below), { withFileTypes: true }) : []
  return entries.flatMap((entry) => {
    const name = below ? `${below}/${entry.name}` : entry.name
    if (entry.isDirectory()) {
      try {
        return below ? [] : logsBelow(folder, name)
      } catch {
        // A folder of somebody else's.
        return []
      }
    }
    return entry.isFile() && looksLikeLog.test(name) ? [name] : []
  }).sort().slice(0, mostLogs)
}

const firstLook = 4000

/** What was appended since the last look; a file that was rotated or cut begins anew. */
function appended(path: string, positions: Record<string, Position>): string {
  const { ino, size } = statSync(path)
  const was = positions[path]
  const from = was && was.inode === ino && was.offset <= size ? was.offset : was ? 0 : Math.max(0, size - firstLook)
  const length = Math.min(size - from, 512 * 1024)
  const bytes = Buffer.alloc(length)
  const handle = openSync(path, 'r')
  readSync(handle, bytes, 0, length, from)
  closeSync(handle)
  // A line that is still being written waits for the next look.
  const end = bytes.lastIndexOf(10) + 1
  positions[path] = { inode: ino, offset: from + end }
  const text = bytes.subarray(0, end).toString('utf8')
  return was || from === 0 ? text : text.slice(text.indexOf('\n') + 1)
}

const lookAgain: Millis = 10 * minute

/** @param wanted names of logs, as patterns, that are read beyond the ordinary ones */
export function eventlogCollector(home: string, wanted: () => readonly string[] = () => [], folder = '/var/log'): Collect {
  const file = join(home, 'log-positions.json')
  const kept = (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {}) as { files?: Record<string, Position>; cursor?: string }
  const positions = (kept.files ??= {})
  const save = () => writeFileSync(file, JSON.stringify(kept), { mode: 0o600 })
  let logs: string[] = []
  let lookedAt: Millis = -Infinity
  let saved = JSON.stringify(positions)

  async function journal(): Promise<LogEvent[]> {
    const where = kept.cursor ? [`--after-cursor=${kept.cursor}`] : ['--lines=50']
    const lines = (await command('journalctl', ['--output=json', '--no-pager', ...where])).split('\n').filter(Boolean)
    const last = lines.at(-1)
    if (last) {
      kept.cursor = (JSON.parse(last) as { __CURSOR: string }).__CURSOR
      save()
    }
    return lines.map(parseJournalLine).filter((one) => one !== null)
  }
  function fromFile(name: string, now: Millis): LogEvent[] {
    const path = join(folder, name)
    // What stood there before the first look was not written now.
    const seen = path in positions ? now : null
    const read = ordinary.includes(name) ? (line: string) => parseLogLine(line, name, now) : (line: string) => readProgramLine(line, name, now, seen)
    return appended(path, positions).split('\n').map(read).filter((one) => one !== null)
  }
  return {
    name: 'eventlog',
    async collect(now) {
      const hasJournal = existsSync('/run/systemd/journal/socket') && existsSync('/usr/bin/journalctl')
      if (now - lookedAt >= lookAgain) {
        logs = logsBelow(folder)
        lookedAt = now
      }
      const chosen = logs.filter((name) => (!hasJournal && ordinary.includes(name)) || matchesAny(wanted(), name))
      const told: LogChannel[] = [...(hasJournal ? [{ name: 'journal', collected: true }] : []), ...logs.map((name) => ({ name, collected: chosen.includes(name) }))]
      if (!told.length) throw new NotHere('no journal and no log files here')
      const events = hasJournal ? await journal() : []
      const troubles = new Map<string, string>()
      for (const name of chosen)
        try {
          events.push(...fromFile(name, now))
        } catch (error) {
          // It was rotated away this moment, or is not ours to read: the others count.
          troubles.set(name, (error as Error).message.slice(0, 200))
        }
      // Also where nothing was kept: what was passed by once is not read again.
      const places = JSON.stringify(positions)
      if (places !== saved) save()
      saved = places
      return { events: events.slice(-most), facts: { logs: told.map((one) => (troubles.has(one.name) ? { name: one.name, collected: false, trouble: troubles.get(one.name)! } : one)) } }
    },
  }
}
