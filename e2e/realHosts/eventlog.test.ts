import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { LogGroups, LogMatches, LogPage } from '#contract'
import { patternOf } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import { installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

// Log entries of real hosts, each held against journalctl and grep in the same minute.
describe.skipIf(leftOut)('the logs of Debian 11, 12 and 13', () => {
  let here: HostHouse
  let hosts: RealHost[]

  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      {
        key: 'shop',
        kind: 'log-match',
        name: 'The shop',
        why: '',
        osFamilies: [],
        values: { channel: 't-shop/shop.log', text: 'nothing of the kind' },
      },
    ])
    hosts = await Promise.all([
      here.lan.add('bullseye', 'tm-old'),
      here.lan.add('bookworm', 'tm-mid'),
      here.lan.add('trixie', 'tm-new'),
    ])
    for (const host of hosts) {
      await host.sh('mkdir /var/log/t-shop; echo "2026-01-01 00:00:00 INFO opened" > /var/log/t-shop/shop.log')
      await installAgent(here, host)
    }
    await Promise.all(
      hosts.map((host) =>
        until(
          'the log of the shop to be read',
          () => pageOf(here, host.name),
          (page) => (page.facts.logs ?? []).some((log) => log.name === 't-shop/shop.log' && log.collected),
        ),
      ),
    )
  })
  afterAll(() => here.close())

  const onEach = (what: string, test: (host: RealHost) => Promise<void>) => {
    it.each(['tm-old', 'tm-mid', 'tm-new'])(`${what}: %s`, (name) => test(hosts.find((host) => host.name === name)!))
  }
  const ask = async <T>(path: string, host: RealHost, query: Record<string, string>): Promise<T> => {
    const device = String((await pageOf(here, host.name)).id)
    return (await here.house.technician<T>('GET', `/api/log${path}?${new URLSearchParams({ device, ...query })}`)).body
  }
  const entriesOf = (host: RealHost, query: Record<string, string>) =>
    ask<LogPage>('', host, { limit: '500', ...query }).then(({ entries }) => entries)

  onEach('an entry of the journal keeps who wrote it, of which unit, and how it ended', async (host) => {
    await host.sh(`
      systemd-run --quiet --wait --unit t-fields sh -c 'logger -t t-inner -p daemon.warning "from within $$"; exit 3' || true
      logger -t t-uid -p user.err "from root"`)
    const inner = await until(
      'the entry from within',
      () => entriesOf(host, { source: 't-inner' }),
      (found) => found.length > 0,
    )
    const [own] = (await host.sh('journalctl -o json -t t-inner')).split('\n').filter(Boolean)
    const told = JSON.parse(own!) as Record<string, string>
    expect(inner[0]).toMatchObject({ level: 'warning', text: told.MESSAGE })
    for (const name of ['_PID', '_UID', 'SYSLOG_FACILITY'])
      expect([name, inner[0]!.fields![name]]).toEqual([name, told[name]])
    // It may end before journald asks which unit it was of.
    expect(inner[0]!.fields!._SYSTEMD_UNIT).toBe(told._SYSTEMD_UNIT)
    const ended = await until(
      'how the unit ended',
      () => entriesOf(host, { source: 'systemd', text: 't-fields.service' }),
      (found) => found.some(({ fields }) => fields?.EXIT_STATUS !== undefined),
    )
    expect(ended.find(({ fields }) => fields?.EXIT_STATUS)!.fields).toMatchObject({
      UNIT: 't-fields.service',
      EXIT_STATUS: '3',
    })
    // A command line may hold a secret.
    expect(ended.every(({ fields }) => fields?._CMDLINE === undefined)).toBe(true)
  })

  onEach('what repeats is one group with its number, found by any part of it, as journalctl counts', async (host) => {
    await host.sh(
      'for i in $(seq 1 60); do echo "<4>order $((i * 7919)) from 192.0.2.$i was late by ${i}s"; done | systemd-cat -t t-orders',
    )
    const counted = async (pattern: string) =>
      Number(await host.sh(`journalctl -o cat -t t-orders | grep -c '${pattern}' || true`))
    const groups = await until(
      'all of them',
      () => ask<LogGroups>('/groups', host, { source: 't-orders' }),
      ({ total }) => total >= 60,
    )
    expect(groups).toMatchObject({
      total: await counted(''),
      isMore: false,
      groups: [{ text: 'order # from #.#.#.# was late by #s', level: 'warning', entries: 60, devices: 1 }],
    })
    for (const [words, pattern] of [
      ['late by 4', 'late by 4'],
      ['192.0.2.5', '192\\.0\\.2\\.5'],
      ['order 7919 from', 'order 7919 from'],
      ['475140', '475140'],
    ] as const)
      expect([words, (await entriesOf(host, { source: 't-orders', text: words })).length]).toEqual([
        words,
        await counted(pattern),
      ])
    const [first] = await entriesOf(host, { source: 't-orders', text: '475140' })
    const matches = await ask<LogMatches>('/matches', host, { source: 't-orders', text: patternOf(first!.text) })
    expect(matches).toMatchObject({ total: 60, deviceCount: 1, devices: [{ deviceName: host.name, entries: 60 }] })
  })

  onEach('an entry of a program over several lines is one, as urgent as it says', async (host) => {
    await host.sh(`
      echo "$(date '+%F %T') INFO order taken" >> /var/log/t-shop/shop.log
      # At once, as a program writes its entry: what is written in two parts may be read in two.
      trace=$(perl -MCarp=longmess -e 'sub deep { print longmess("no stock") } sub outer { deep(1) } outer(2)')
      printf '%s ERROR order lost\\n%s\\n' "$(date '+%F %T')" "$trace" >> /var/log/t-shop/shop.log
      echo "$(date '+%F %T') INFO going on" >> /var/log/t-shop/shop.log`)
    const entries = await until(
      'what came after it',
      () => entriesOf(host, { channel: 't-shop/shop.log' }),
      (found) => found.some(({ text }) => text.includes('going on')),
    )
    const lost = entries.find(({ text }) => text.includes('order lost'))!
    const lines = (await host.sh(`sed -n '/order lost/,/going on/p' /var/log/t-shop/shop.log | sed '$d'`)).trimEnd()
    expect(lines.split('\n')).toHaveLength(3)
    expect(lost).toMatchObject({ level: 'error', text: lines })
    expect(entries.filter(({ text }) => text.includes('no stock'))).toHaveLength(1)
  })

  // The last one: from then on little of any journal is told.
  it('of a log of which little is kept, what is urgent and what a watch looks for is told', async () => {
    const before = Date.now()
    const line = { why: '', osFamilies: [] }
    await watchFor(
      here,
      [
        { ...line, key: 'kept', kind: 'log-kept', name: 'Kept', values: { channel: 'journal', level: 'warning' } },
        { ...line, key: 'looked', kind: 'log-match', name: 'Looked for', values: { text: 'looked for' } },
      ],
      'Kept',
    )
    for (const host of hosts) {
      await until(
        `${host.name} to know`,
        () => pageOf(here, host.name),
        ({ roster }) => (roster.confirmedAt ?? 0) > before,
      )
      await host.sh(`
        logger -t t-kept -p daemon.info "an ordinary entry"; logger -t t-kept -p daemon.info "one that is looked for"
        logger -t t-kept -p daemon.warning "a warning"; logger -t t-kept -p daemon.err "the last"`)
      const told = await until(
        'the last',
        () => entriesOf(host, { source: 't-kept' }),
        (found) => found.some(({ text }) => text === 'the last'),
      )
      expect(told.map(({ text }) => text).sort()).toEqual(['a warning', 'one that is looked for', 'the last'])
      // It was not lost, and not counted as such: nobody wanted it.
      expect(Number(await host.sh('journalctl -o cat -t t-kept | wc -l'))).toBe(4)
    }
  })
})
