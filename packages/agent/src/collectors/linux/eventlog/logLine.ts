import { levelOfPriority, logLevelCode, logLevels, type LogEvent, type LogLevel, type Millis } from '#core'

export const cut = (text: string) => (text.length > 2000 ? `${text.slice(0, 1999)}…` : text)

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
  const event = (at: Millis, source: string, text: string): LogEvent | null =>
    Number.isFinite(at) ? { at, channel, source, id: null, level, text: cut(text) } : null
  const modern = /^1 (\S+) \S+ (\S+) \S+ \S+ (?:-|(?:\[(?:[^\]\\]|\\.)*\])+)(?: (.*))?$/.exec(rest)
  if (priority && modern)
    return event(
      modern[1] === '-' ? now : Date.parse(modern[1]!),
      modern[2] === '-' ? '' : modern[2]!,
      (modern[3] ?? '').replace(/^\uFEFF/, ''),
    )
  const tagged =
    /^(?:([A-Z][a-z]{2}) {1,2}(\d{1,2}) (\d\d:\d\d:\d\d)|(\d{4}-\d\d-\d\dT[\d:.,]+(?:Z|[+-]\d\d:\d\d))) \S+ ([^\s:[]+)(?:\[\d+\])?: ?(.*)$/.exec(
      rest,
    )
  if (tagged)
    return event(
      tagged[1] ? bsdTime(tagged[1], tagged[2]!, tagged[3]!, now) : Date.parse(tagged[4]!),
      tagged[5]!,
      tagged[6]!,
    )
  // Other programs begin their lines in the same way.
  const dpkg = channel === 'dpkg.log' ? /^(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d) (.+)$/.exec(rest) : null
  return dpkg ? event(new Date(dpkg[1]!.replace(' ', 'T')).getTime(), 'dpkg', dpkg[2]!) : null
}

const words: [RegExp, LogLevel][] = [
  [/\b(emerg|panic)\b/i, 'emergency'],
  [/\balert\b/i, 'alert'],
  [/\b(crit|critical|fatal)\b/i, 'critical'],
  [/\b(err|error)\b/i, 'error'],
  [/\b(warn|warning)\b/i, 'warning'],
  [/\bnotice\b/i, 'notice'],
]

/** As urgent as the name of the log says, or the first words of the line, where programs put the level. */
function apparentLevel(line: string, channel: string): LogLevel {
  if (/\.err$/.test(channel)) return 'error'
  if (/\.warn$/.test(channel)) return 'warning'
  return words.find(([word]) => word.test(line.slice(0, 80)))?.[1] ?? 'informational'
}

/**
 * An entry of a log that is no ordinary one: in a form that is known, or in the program's own. Where nothing tells a
 * priority, the apparent level stands for it, of whichever of its lines is most urgent.
 * @param rest lines that go on with the first
 * @param seen when it was written, where the line itself does not tell; null: before anybody read here, so that it is
 * left out
 */
export function readProgramEntry(
  line: string,
  rest: readonly string[],
  channel: string,
  now: Millis,
  seen: Millis | null,
): LogEvent | null {
  const event = readProgramLine(line, channel, now, seen)
  if (!event || !rest.length) return event
  // Lines that are set in are places in a program; their names say nothing of how urgent it is.
  const levels = rest.filter((more) => !/^\s/.test(more)).map((more) => apparentLevel(more, channel))
  const code = Math.min(logLevelCode(event.level), ...levels.map(logLevelCode))
  return { ...event, level: logLevels[code]!, text: cut([event.text, ...rest].join('\n')) }
}

export function readProgramLine(line: string, channel: string, now: Millis, seen: Millis | null): LogEvent | null {
  if (!line.trim()) return null
  const level = apparentLevel(line, channel)
  const known = parseLogLine(line, channel, now)
  if (known)
    return known.level === 'informational' && !line.startsWith('<')
      ? { ...known, level: apparentLevel(known.text, channel) }
      : known
  return seen === null
    ? null
    : { at: seen, channel, source: channel.split('/')[0]!.replace(/\.\w+$/, ''), id: null, level, text: cut(line) }
}
