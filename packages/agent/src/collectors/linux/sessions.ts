import { existsSync, readFileSync } from 'node:fs'
import { second, type Millis, type Reading, type Session, type SessionKind } from '#core'
import { steady } from '../../clock'
import { NotHereError, type Collect } from '../collector'
import { command } from '../command'

const properties = ['Id', 'Name', 'Timestamp', 'Remote', 'RemoteHost', 'Type', 'Class', 'State']
const kinds: Readonly<Record<string, SessionKind>> = { x11: 'desktop', wayland: 'desktop', mir: 'desktop' }

/**
 * Sessions of people, by systemd-logind: no greeters, no locked screens, and not what it runs in their names. One that
 * is *closing* is over, and a program of it goes on.
 * @param text what `loginctl show-session` prints of them on the clocks of UTC, with an empty line between
 */
export function parseSessions(text: string): Session[] {
  return text.split(/\n\n+/).flatMap((part): Session[] => {
    const told = new Map(
      part.split('\n').map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
    )
    const of = (name: string) => told.get(name) ?? ''
    const at = /^\w{3} (\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d) UTC$/.exec(of('Timestamp'))
    if (of('Class') !== 'user' && of('Class') !== 'user-early') return []
    if (!of('Id') || !of('Name') || at === null || of('State') === 'closing') return []
    const isRemote = of('Remote') === 'yes'
    return [
      {
        id: of('Id'),
        user: of('Name'),
        kind: kinds[of('Type')] ?? (isRemote || of('Type') === 'unspecified' ? 'terminal' : 'console'),
        since: Date.parse(`${at[1]!}T${at[2]!}Z`),
        from: isRemote ? of('RemoteHost') : '',
      },
    ]
  })
}

/** @param text what `ss --info` prints of connections; the longest way and back among them, in ms (tcp(7), tcpi_rtt) */
export function slowestWay(text: string): number | null {
  const ways = [...text.matchAll(/\brtt:([\d.]+)\//g)].map((match) => Number(match[1]))
  return ways.length ? Math.max(...ways) : null
}

/** Ports that people come by: OpenSSH's, and of desktops from afar. Where they are others, their way is not told. */
const ways = '( sport = :22 or sport = :3389 )'

/** pam_nologin(8): while one of these files is there, nobody but root may sign in; it says why. */
export function closedBy(files = ['/run/nologin', '/var/run/nologin', '/etc/nologin']): string | null {
  const file = files.find((path) => existsSync(path))
  if (file === undefined) return null
  try {
    return readFileSync(file, 'utf8').replace(/\s+/g, ' ').trim().slice(0, 200) || `there is ${file}`
  } catch {
    return `there is ${file}`
  }
}

/** With each report of the usual pace; where there are more, what is asked costs more than it tells. */
const every: Millis = 20 * second

/** The properties of all sessions, as text. */
async function told(): Promise<string> {
  const ids = (await command('loginctl', ['list-sessions', '--no-legend', '--no-pager']))
    .split('\n')
    .flatMap((line) => line.trim().split(/\s+/)[0] || [])
  if (!ids.length) return ''
  return command('env', [
    'TZ=UTC',
    'loginctl',
    'show-session',
    ...properties.map((name) => `--property=${name}`),
    ...ids,
  ])
}

export function sessionsCollector(): Collect {
  let last: { at: Millis; list: Session[]; slowest: number | null } | null = null

  async function look(): Promise<{ list: Session[]; slowest: number | null }> {
    if (!existsSync('/run/systemd/sessions')) throw new NotHereError('systemd-logind does not run here')
    // One that ends meanwhile fails the question for all: then those that are left are asked.
    const list = parseSessions(await told().catch(told))
    const from = list.some((session) => session.from)
      ? await command('ss', ['-H', '-t', '-i', '-n', 'state', 'established', ways]).catch(() => '')
      : ''
    return { list, slowest: slowestWay(from) }
  }

  return {
    name: 'sessions',
    async collect() {
      if (!last || steady() - last.at >= every) last = { at: steady(), ...(await look()) }
      const readings: Reading[] = [['sessions.count', '', last.list.length]]
      if (last.slowest !== null) readings.push(['sessions.latency', '', last.slowest])
      return { readings, facts: { sessions: { list: last.list, closedBy: closedBy() } } }
    },
  }
}
