import { closeSync, existsSync, openSync, readFileSync, readSync, statSync, writeFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import { levelOfPriority, logLevels, type LogEvent, type Millis } from '#core'
import { NotHere, type Collect } from './collector'
import { command } from './command'

const most = 400
const cut = (text: string) => (text.length > 2000 ? `${text.slice(0, 1999)}…` : text)

/** One line of `journalctl --output=json` (systemd.journal-fields(7), PRIORITY as in RFC 5424). */
export function parseJournalLine(line: string): LogEvent | null {
  let entry: Record<string, unknown>
  try {
    entry = JSON.parse(line) as Record<string, unknown>
  } catch {
    return null
  }
  // A field that is not valid UTF-8 comes as a list of bytes.
  const text = Array.isArray(entry.MESSAGE) ? Buffer.from(entry.MESSAGE as number[]).toString('utf8') : String(entry.MESSAGE ?? '')
  const at = Math.floor(Number(entry.__REALTIME_TIMESTAMP) / 1000)
  if (!Number.isFinite(at)) return null
  const source = String(entry.SYSLOG_IDENTIFIER ?? entry._COMM ?? (entry._TRANSPORT === 'kernel' ? 'kernel' : ''))
  return { at, channel: 'journal', source, id: null, level: logLevels[Number(entry.PRIORITY ?? 6)] ?? 'informational', text: cut(text) }
}

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']

/** The time of RFC 3164 has no year and no zone: the machine's own, and the latest year that is not ahead. */
function bsdTime(month: string, dayOfMonth: string, clock: string, now: Millis): Millis {
  const [h, m, s] = clock.split(':').map(Number)
  const year = new Date(now).getFullYear()
  const at = (y: number) => new Date(y, months.indexOf(month), Number(dayOfMonth), h, m, s).getTime()
  return at(year) > now + 86_400_000 ? at(year - 1) : at(year)
}

/**
 * One line of a log file: RFC 5424 (`<34>1 2003-10-11T22:14:15.003Z host app …`), RFC 3164 with or without its priority
 * (`Oct 11 22:14:15 host su: …`), the same with an ISO 8601 time as newer syslog daemons write it, or dpkg's own
 * (`2026-11-01 12:00:00 status installed …`). Null when it is none of them.
 */
export function parseLogLine(line: string, channel: string, now: Millis): LogEvent | null {
  const priority = /^<(\d{1,3})>/.exec(line)
  const level = priority && Number(priority[1]) <= 191 ? levelOfPriority(Number(priority[1])) : 'informational'
  const rest = priority ? line.slice(priority[0].length) : line
  const event = (at: Millis, source: string, text: string): LogEvent | null => (Number.isFinite(at) ? { at, channel, source, id: null, level, text: cut(text) } : null)
  const modern = /^1 (\S+) \S+ (\S+) \S+ \S+ (?:-|(?:\[(?:[^\]\\]|\\.)*\])+)(?: (.*))?$/.exec(rest)
  if (priority && modern) return event(modern[1] === '-' ? now : Date.parse(modern[1]!), modern[2] === '-' ? '' : modern[2]!, (modern[3] ?? '').replace(/^\uFEFF/, ''))
  const tagged = /^(?:([A-Z][a-z]{2}) {1,2}(\d{1,2}) (\d\d:\d\d:\d\d)|(\d{4}-\d\d-\d\dT[\d:.,]+(?:Z|[+-]\d\d:\d\d))) \S+ ([^\s:[]+)(?:\[\d+\])?: ?(.*)$/.exec(rest)
  if (tagged) return event(tagged[1] ? bsdTime(tagged[1], tagged[2]!, tagged[3]!, now) : Date.parse(tagged[4]!), tagged[5]!, tagged[6]!)
  const dpkg = /^(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d) (.+)$/.exec(rest)
  return dpkg ? event(new Date(dpkg[1]!.replace(' ', 'T')).getTime(), 'dpkg', dpkg[2]!) : null
}

interface Position { inode: number; offset: number }

const files = ['/var/log/syslog', '/var/log/messages', '/var/log/auth.log', '/var/log/kern.log', '/var/log/dpkg.log']
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

export function eventlogCollector(home: string): Collect {
  const file = join(home, 'log-positions.json')
  const kept = (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {}) as { files?: Record<string, Position>; cursor?: string }
  const positions = (kept.files ??= {})
  const save = () => writeFileSync(file, JSON.stringify(kept), { mode: 0o600 })
  return {
    name: 'eventlog',
    async collect(now) {
      if (existsSync('/run/systemd/journal/socket') && existsSync('/usr/bin/journalctl')) {
        const where = kept.cursor ? [`--after-cursor=${kept.cursor}`] : ['--lines=50']
        const lines = (await command('journalctl', ['--output=json', '--no-pager', ...where])).split('\n').filter(Boolean)
        const last = lines.at(-1)
        if (last) {
          kept.cursor = (JSON.parse(last) as { __CURSOR: string }).__CURSOR
          save()
        }
        return { events: lines.map(parseJournalLine).filter((one) => one !== null).slice(-most) }
      }
      const present = files.filter((path) => existsSync(path))
      if (!present.length) throw new NotHere('no journal and no log files here')
      const events = present.flatMap((path) => appended(path, positions).split('\n').map((line) => parseLogLine(line, basename(path), now)).filter((one) => one !== null))
      if (events.length) save()
      return { events: events.slice(-most) }
    },
  }
}
