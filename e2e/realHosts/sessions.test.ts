import { Client } from 'ssh2'
import { afterAll, beforeAll, describe, expect } from 'vitest'
import type { DevicePage } from '#contract'
import { minute, type Sessions } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import {
  alertsOf,
  installAgent,
  leftOut,
  openHostHouse,
  pageOf,
  until,
  watchFor,
  type HostHouse,
  eachOf,
  watchSpec as watch,
} from './hostHouse'

const password = 'lantern-at-dusk-7'

// Who is signed in to real hosts, held against who(1) in the same minute; who fails to, and when nobody may.
describe.skipIf(leftOut)('sessions, Debian 11, 12 and 13', () => {
  let here: HostHouse
  let hosts: RealHost[]
  const ways: Client[] = []

  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      watch('long', 'session-long', { after: minute }),
      watch('many', 'session-count', { warning: 1, clear: 1, hold: 0, 'clear.hold': 0 }),
      watch('closed', 'sign-ins-closed', { hold: 0 }),
      watch('failed', 'log-match', { text: 'Failed password for', count: 3, within: 10 * minute }),
    ])
    hosts = await Promise.all([
      here.lan.add('bullseye', 'tm-old'),
      here.lan.add('bookworm', 'tm-mid'),
      here.lan.add('trixie', 'tm-new'),
    ])
    await Promise.all(
      hosts.map(async (host) => {
        await host.sh('useradd --create-home --shell /bin/bash ines')
        await host.setPassword('ines', password)
        await installAgent(here, host)
      }),
    )
  })
  afterAll(async () => {
    for (const way of ways) way.end()
    await here.close()
  })

  const onEach = eachOf(() => hosts)
  const sessionsWhere = async (host: RealHost, what: string, isSo: (sessions: Sessions) => boolean) =>
    (
      await until(
        `${host.name}: ${what}`,
        () => pageOf(here, host.name),
        (page: DevicePage) => page.facts.sessions !== undefined && isSo(page.facts.sessions),
        60_000,
      )
    ).facts.sessions!
  const isOpen = async (host: RealHost, key: string) =>
    (await alertsOf(here, (await pageOf(here, host.name)).id)).some(
      ({ watch: of, status }) => of === key && status !== 'closed',
    )
  /** Signs in by a password, as somebody would, and stays. @returns null: it was not let in */
  const signIn = (host: RealHost, secret: string) =>
    new Promise<Client | null>((resolve) => {
      const way = new Client()
      ways.push(way)
      way
        .on('ready', () => way.shell(() => resolve(way)))
        .on('error', () => resolve(null))
        .on('close', () => resolve(null))
        .connect({ host: host.address, username: 'ines', password: secret, readyTimeout: 60_000 })
    })

  onEach('who is signed in is who says who(1), until they are off', async (host) => {
    await sessionsWhere(host, 'nobody', ({ list }) => list.length === 0)
    const first = await signIn(host, password)
    const { list } = await sessionsWhere(host, 'ines', (sessions) => sessions.list.length === 1)
    const who = /^ines\s+(?:sshd )?pts\/\d+\s+(\S+ \S+)\s+\((.*)\)$/m.exec(await host.sh('TZ=UTC LC_ALL=C.UTF-8 who'))
    expect(list).toMatchObject([{ user: 'ines', kind: 'terminal', from: who?.[2] }])
    expect(who![2]).toBe(here.lan.gateway)
    expect(Math.abs(list[0]!.since - Date.parse(`${who![1]!.replace(' ', 'T')}Z`))).toBeLessThanOrEqual(minute)
    const second = await signIn(host, password)
    await sessionsWhere(host, 'twice', (sessions) => sessions.list.length === 2)
    await until('many', () => isOpen(host, 'many'), Boolean)
    await until('long', () => isOpen(host, 'long'), Boolean, 60_000)
    const { latest } = await pageOf(here, host.name)
    const way = latest!.readings.find(([metric]) => metric === 'sessions.latency')?.[2]
    expect(way).toBeGreaterThan(0)
    expect(way).toBeLessThan(1000)
    first!.end()
    second!.end()
    await sessionsWhere(host, 'nobody any more', (sessions) => sessions.list.length === 0)
    expect(await host.sh('who')).toBe('')
    await until(
      'the alerts are over',
      async () => (await isOpen(host, 'many')) || (await isOpen(host, 'long')),
      (is) => !is,
    )
  })

  onEach('whoever fails to sign in is noticed', async (host) => {
    for (let i = 0; i < 3; i++) expect(await signIn(host, 'wrong')).toBeNull()
    await until('failed', () => isOpen(host, 'failed'), Boolean)
  })

  onEach('that nobody may sign in is told as pam_nologin has it', async (host) => {
    await host.sh('echo "Closed until Monday." > /run/nologin')
    const { closedBy } = await sessionsWhere(host, 'closed', (sessions) => sessions.closedBy !== null)
    expect(closedBy).toBe('Closed until Monday.')
    expect(await signIn(host, password)).toBeNull()
    await until('closed', () => isOpen(host, 'closed'), Boolean)
    await host.sh('rm /run/nologin')
    await sessionsWhere(host, 'open again', (sessions) => sessions.closedBy === null)
    const way = await signIn(host, password)
    expect(way).not.toBeNull()
    way!.end()
    await until(
      'it is over',
      () => isOpen(host, 'closed'),
      (is) => !is,
    )
  })
})
