import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DevicePage, LogPage, ProcessesPage } from '#contract'
import { hour, second, type Service } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import {
  alertsOf,
  installAgent,
  leftOut,
  newKey,
  openHostHouse,
  openProxy,
  pageOf,
  until,
  watchFor,
  type HostHouse,
  type Proxy,
  eachOf,
} from './hostHouse'

// What agents tell of real hosts, each held against the system's own words in the same minute.
describe.skipIf(leftOut)('on Debian 11, 12 and 13', () => {
  let here: HostHouse
  let hosts: RealHost[]
  let proxy: Proxy
  /** When the logs below were written: long before any agent came. */
  const old = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString().slice(0, 19).replace('T', ' ')

  beforeAll(async () => {
    // It brings its authority along to no machine: each trusts it in a way of its own.
    here = await openHostHouse(4000, undefined, false)
    proxy = await openProxy(here)
    await watchFor(here, [
      {
        key: 'services',
        kind: 'service-state',
        name: 'Services',
        why: '',
        osFamilies: [],
        // Where the cores are shared, reports may lie so far apart that nothing holds from one to the next.
        values: { except: ['t-*'], hold: 0, 'clear.hold': 0, tries: 3, 'tries.wait': 10 * second },
      },
      {
        key: 'loops',
        kind: 'service-state',
        name: 'Loops',
        why: '',
        osFamilies: [],
        values: { which: 'named', names: ['t-looping'], hold: hour },
      },
      {
        key: 'collectors',
        kind: 'collector-fails',
        name: 'Parts',
        why: '',
        osFamilies: [],
        values: { hold: 4 * second },
      },
      {
        key: 'dpkg',
        kind: 'log-match',
        name: 'Anything of dpkg',
        why: '',
        osFamilies: [],
        values: { channel: 'dpkg.log', text: 'installed', severity: 'warning' },
      },
      {
        key: 'disk',
        kind: 'disk-space',
        name: 'Room',
        why: '',
        osFamilies: [],
        values: {
          disks: ['/srv/*'],
          'warning.bytes': null,
          'critical.bytes': null,
          'clear.bytes': null,
          hold: 0,
          'clear.hold': 0,
        },
      },
    ])
    hosts = await Promise.all([
      here.lan.add('bullseye', 'tm-old'),
      here.lan.add('bookworm', 'tm-mid'),
      here.lan.add('trixie', 'tm-new'),
    ])
    await Promise.all(
      hosts.map(async (host) => {
        host.write(
          '/var/log/dpkg.log',
          [400, 62, 20].map((days) => `${old(days)} status installed libold:amd64 1.${days}\n`).join(''),
        )
        await furnish(host)
        await installAgent(here, host, await waysToTrust[host.name as keyof typeof waysToTrust](host))
      }),
    )
    await Promise.all(
      hosts.map((host) =>
        until(
          `readings of ${host.name}`,
          () => pageOf(here, host.name),
          (page) =>
            page.facts.services !== undefined && page.facts.updates !== undefined && page.roster.confirmedAt !== null,
        ),
      ),
    )
  })
  afterAll(async () => {
    await proxy.close()
    await here.close()
  })
  const waysToTrust = {
    async 'tm-old'(host: RealHost) {
      host.write('/usr/local/share/ca-certificates/custode.crt', here.ca)
      await host.sh('update-ca-certificates')
      return { curl: '', options: '' }
    },
    'tm-mid': () => ({ curl: '--cacert /root/ca.pem', options: '--ca /root/ca.pem' }),
    'tm-new': () => ({
      curl: `--cacert /root/ca.pem --proxy ${proxy.url}`,
      options: `--proxy ${proxy.url} --ca /root/ca.pem`,
    }),
  }

  const program = '/usr/local/lib/custode-agent/custode-agent'
  const onEach = eachOf(() => hosts)
  const servicesOf = (page: DevicePage) =>
    new Map((page.facts.services ?? []).map((service) => [service.name, service]))

  onEach(
    'the one line of the page installs it: it reports, starts at boot, and finds nothing wrong with itself',
    async (host) => {
      const page = await pageOf(here, host.name)
      expect(page.failed).toEqual([])
      expect(page.facts.system).toMatchObject({
        osName: `Debian ${host.debian}`,
        hostName: host.name,
        startsAtBoot: true,
        serviceManager: 'systemd',
        remediates: host.debian >= 12,
      })
      const check = await host.run(`${program} check`)
      expect([check.code, check.stdout.split('\n').filter((line) => line.includes('WRONG'))]).toEqual([0, []])
    },
  )

  onEach(
    'it speaks with its server over TLS only, as the system, a file or a way through a proxy has it; with nobody else, and not in the open',
    async (host) => {
      const enrol = async (server: string, more = '') => {
        const { code, stderr } = await host.run(
          `${program} enroll --home /tmp/t-other --server ${server} --key ${await newKey(here)} ${more}`,
        )
        return [code, stderr.trim()]
      }
      expect(await enrol(here.url.replace('https:', 'http:'))).toEqual([
        1,
        expect.stringContaining('speaks plain HTTP'),
      ])
      if (host.name !== 'tm-old')
        expect(await enrol(here.url)).toEqual([
          1,
          expect.stringContaining('an authority that this machine does not trust'),
        ])
      await host.sh(
        `openssl req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -keyout /tmp/t-key -out /tmp/t-ca.pem -days 2 -subj /CN=other 2>/dev/null`,
      )
      expect(await enrol(here.url, '--ca /tmp/t-ca.pem')).toEqual([
        1,
        expect.stringContaining('an authority that this machine does not trust'),
      ])
      // The key it was installed with is in no list of processes.
      expect((await host.sh('ps -eo args')).split('\n').filter((line) => /--key|sh -s/.test(line))).toEqual([])
    },
  )
  it('the one behind a proxy has reached its server by it alone', async () => {
    expect(proxy.asked).toContain(new URL(here.url).host)
    const host = hosts.find((each) => each.name === 'tm-new')!
    expect(
      await host.sh(`ss --tcp --numeric --no-header dst ${here.lan.gateway} dport = :${new URL(here.url).port}`),
    ).toBe('')
  })

  onEach('log lines of two months ago, and of last year, neither stop it nor are news to a watch', async (host) => {
    const page = await pageOf(here, host.name)
    const events = (await here.house.technician<LogPage>('GET', `/api/log?device=${page.id}&limit=500`)).body.entries
    expect(events.filter((event) => event.channel === 'dpkg.log').map((event) => event.text)).toEqual([
      'status installed libold:amd64 1.20',
    ])
    expect((await alertsOf(here, page.id)).filter((alert) => alert.watch === 'dpkg')).toEqual([])
    // What is written from now on is.
    await host.sh(`echo "$(date '+%F %T') status installed libnew:amd64 2.0" >> /var/log/dpkg.log`)
    await until(
      'the alert of a new line',
      () => alertsOf(here, page.id),
      (alerts) => alerts.some((alert) => alert.watch === 'dpkg' && alert.evidence?.text.includes('libnew')),
    )
  })

  onEach('services are those of systemctl, in each state that one can have', async (host) => {
    const states: Record<string, string> = {
      't-runs': 'automatic running',
      't-stopped': 'automatic stopped',
      't-failed': 'automatic failed',
      't-masked': 'disabled stopped',
      't-condition': 'automatic skipped',
      't-loops': 'automatic failed',
      't-socket': 'on-demand stopped',
      't-timer': 'on-demand finished',
      't-path': 'on-demand stopped',
      't-sysv': 'automatic running',
      't-instance@one': 'automatic running',
      't-once': 'automatic finished',
      't-never': 'manual stopped',
      't-nightly': 'on-demand failed',
      't-broken': 'on-demand failed',
      // Set to start, and well when stopped: its socket starts it again; what wants it does not happen here.
      't-idle': 'on-demand stopped',
      't-sleep': 'on-demand stopped',
      // It would have been started again, had it ended by itself: somebody has stopped it.
      't-always': 'automatic stopped',
      't-base': 'automatic stopped',
      't-needs': 'automatic stopped',
      't-deaf': 'on-demand stopped',
      't-works': 'on-demand running',
      't-hangs': 'automatic starting',
      // It waits for its turn behind that one.
      't-queued': 'automatic starting',
    }
    const told = servicesOf(
      await until(
        'the services',
        () => pageOf(here, host.name),
        (page) =>
          servicesOf(page).get('t-idle')?.state === 'stopped' && servicesOf(page).get('t-stopped')?.state === 'stopped',
      ),
    )
    expect(
      Object.fromEntries(
        Object.keys(states).map((name) => [
          name,
          told.has(name) ? `${told.get(name)!.start} ${told.get(name)!.state}` : 'not told',
        ]),
      ),
    ).toEqual(states)

    // Every unit that systemd has loaded, and every one that it has a file for.
    const units = (await host.sh('systemctl list-units --all --type=service --no-legend --plain --full'))
      .split('\n')
      .map((line) => line.trim().split(/\s+/))
      .filter(([name, load]) => name?.endsWith('.service') && load !== 'not-found')
    const files = (await host.sh('systemctl list-unit-files --type=service --no-legend --full'))
      .split('\n')
      .map((line) => line.trim().split(/\s+/))
      .filter(([name, state]) => name?.endsWith('.service') && !name.endsWith('@.service') && state !== 'alias')
    const plain = (name: string) => name.replace(/\.service$/, '')
    expect([...units, ...files].map(([name]) => plain(name!)).filter((name) => !told.has(name))).toEqual([])
    const words: Record<string, Service['state'][]> = {
      active: ['running', 'finished'],
      inactive: ['stopped', 'finished', 'skipped', 'starting'],
      failed: ['failed'],
      activating: ['starting', 'failed', 'running'],
    }
    // What is started on demand may have been started since it was told.
    await until(
      `${host.name}: each loaded unit as it is`,
      async () => {
        const now = servicesOf(await pageOf(here, host.name))
        return (await host.sh('systemctl list-units --all --type=service --no-legend --plain --full'))
          .split('\n')
          .map((line) => line.trim().split(/\s+/))
          .filter(([name, load, active]) => name?.endsWith('.service') && load !== 'not-found' && words[active!])
          .map(([name, , active]) => [plain(name!), active!] as const)
          .filter(([name, active]) => !words[active]!.some((state) => state === now.get(name)?.state))
          .map(([name, active]) => `${name} ${active} ${now.get(name)?.state}`)
      },
      (differing) => differing.length === 0,
    )
    const start: Record<string, Service['start'][]> = {
      enabled: ['automatic', 'on-demand'],
      'enabled-runtime': ['automatic'],
      disabled: ['manual', 'on-demand'],
      masked: ['disabled'],
      static: ['on-demand'],
      indirect: ['on-demand'],
      generated: ['automatic', 'manual'],
    }
    expect(
      files
        .filter(([name, state]) => start[state!] && !start[state!]!.includes(told.get(plain(name!))!.start))
        .map(([name, state]) => `${name} ${state} ${told.get(plain(name!))!.start}`),
    ).toEqual([])
  })

  onEach('a service tells its account, since when it is so, and who needs it, as systemctl has it', async (host) => {
    const told = servicesOf(await pageOf(here, host.name))
    const show = async (name: string, property: string) =>
      (await host.sh(`systemctl show -p ${property} --value ${name}.service`)).trim()
    expect([told.get('t-account')!.account, told.get('t-runs')!.account]).toEqual([
      await show('t-account', 'User'),
      'root',
    ])
    for (const [name, entered] of [
      ['t-runs', 'ActiveEnterTimestamp'],
      ['t-stopped', 'InactiveEnterTimestamp'],
      ['t-failed', 'InactiveEnterTimestamp'],
      ['t-hangs', 'InactiveExitTimestamp'],
    ] as const) {
      const at = Number(await host.sh(`date -d "${await show(name, entered)}" +%s`)) * second
      // By the monotonic clock, from moments that lie some milliseconds apart.
      expect(Math.abs(told.get(name)!.since! - at), name).toBeLessThanOrEqual(2 * second)
    }
    // Of jobs nobody is told: each run would be news.
    expect(told.get('t-once')!.since).toBeUndefined()
    const needing = (await host.sh('systemctl list-dependencies --reverse --plain t-base.service'))
      .split('\n')
      .map((line) => line.trim())
      .filter((name) => name.endsWith('.service') && name !== 't-base.service')
    expect(told.get('t-base')!.neededBy!.map((name) => `${name}.service`)).toEqual(needing)
    expect(told.get('t-deaf')!.brokenTrigger).toBe('t-deaf.socket')
    expect((await host.sh('systemctl is-failed t-deaf.socket || true')).trim()).toBe('failed')
  })

  onEach('one that is started again and again is told, although it runs whenever one looks', async (host) => {
    const page = await pageOf(here, host.name)
    const alert = await until(
      `${host.name}: the alert of t-looping`,
      () => alertsOf(here, page.id),
      (alerts) => alerts.some(({ watch, instance }) => watch === 'loops' && instance === 't-looping'),
    )
    const text = alert.find(({ watch }) => watch === 'loops')!.evidence!.text
    const told = Number(/started (\d+) times/.exec(text)?.[1])
    const counted = Number(await host.sh('systemctl show -p NRestarts --value t-looping.service'))
    expect(told, text).toBeGreaterThanOrEqual(5)
    expect(told, text).toBeLessThanOrEqual(counted)
    await host.sh('systemctl disable --now t-looping')
  })

  onEach('a service that is written, enabled, run, masked or taken away is so at the next look', async (host) => {
    const told = (how: string | undefined) =>
      until(
        `${host.name}: t-turning ${how ?? 'gone'}`,
        () => pageOf(here, host.name),
        (page) => {
          const found = servicesOf(page).get('t-turning')
          return (found && `${found.start} ${found.state}`) === how
        },
      )
    // One's own folder, which is not there yet: what lies in /etc cannot be masked.
    const file = '/usr/local/lib/systemd/system/t-turning.service'
    await host.sh(
      `mkdir -p /usr/local/lib/systemd/system && printf '[Unit]\nDescription=Turning\n[Service]\nExecStart=/bin/sleep 900\n[Install]\nWantedBy=multi-user.target\n' > ${file}`,
    )
    await told('manual stopped')
    await host.sh('systemctl daemon-reload && systemctl start t-turning')
    await told('manual running')
    await host.sh('systemctl stop t-turning')
    await told('manual stopped')
    await host.sh('systemctl enable t-turning')
    await told('automatic stopped')
    await host.sh('systemctl disable t-turning && systemctl mask t-turning')
    await told('disabled stopped')
    await host.sh(`systemctl unmask t-turning; rm ${file}; systemctl daemon-reload`)
    await told(undefined)
  })

  onEach('the journal: levels, invalid UTF-8, NUL, long lines, each entry once', async (host) => {
    await host.sh(`
      logger -t t-log -p daemon.err "an error"; logger -t t-log -p auth.warning "a warning"; logger -t t-log -p kern.emerg "the end"
      printf 'raw \\377\\376 bytes\\n' | systemd-cat -t t-raw -p notice
      printf 'before\\000after\\n' | systemd-cat -t t-nul -p info
      head -c 30000 /dev/zero | tr '\\0' x | systemd-cat -t t-long -p info`)
    const page = await pageOf(here, host.name)
    const seen = async () =>
      (await here.house.technician<LogPage>('GET', `/api/log?device=${page.id}&limit=500`)).body.entries.filter(
        (event) => event.source.startsWith('t-') && ['t-log', 't-raw', 't-nul', 't-long'].includes(event.source),
      )
    type Entry = { SYSLOG_IDENTIFIER: string; PRIORITY: string; MESSAGE: string | number[] }
    const entries = (await host.sh('journalctl -o json --all -t t-log -t t-raw -t t-nul -t t-long'))
      .split('\n')
      .filter(Boolean)
      .map((line) => JSON.parse(line) as Entry)
    const events = await until('the entries', seen, (found) => found.length >= entries.length)
    const levels = ['emergency', 'alert', 'critical', 'error', 'warning', 'notice', 'informational', 'debug']
    const text = (message: Entry['MESSAGE']) =>
      (typeof message === 'string' ? message : Buffer.from(message).toString('utf8')).replaceAll('\0', '')
    expect(events.map((event) => `${event.source} ${event.level} ${event.text.slice(0, 100)}`).sort()).toEqual(
      entries
        .map(
          (entry) =>
            `${entry.SYSLOG_IDENTIFIER} ${levels[Number(entry.PRIORITY)]} ${text(entry.MESSAGE).slice(0, 100)}`,
        )
        .sort(),
    )
    expect(events.find((event) => event.source === 't-long')!.text.length).toBe(2000)
  })

  onEach(
    'what runs: who uses the CPU, who started those that do, who has the memory, as the kernel counts it',
    async (host) => {
      // Who may not see what runs says so. Under systemd the agent sees it all the same: its /proc is one of its own.
      await host.sh('mount -o remount,hidepid=2 /proc && systemctl restart custode-agent')
      const check = await host.run(
        `setpriv --reuid custode-agent --regid custode-agent --clear-groups ${program} check`,
      )
      expect(check.stdout).toContain('hidepid')
      // A shell that works; one that has others work for moments; one that waits for a line that does not end.
      await host.sh(`
      cp /bin/dash /usr/local/bin/t-burner; cp /bin/dash /usr/local/bin/t-starter; cp /usr/bin/tail /usr/local/bin/t-holder
      setsid t-burner -c 'while :; do :; done' >/dev/null 2>&1 </dev/null &
      setsid t-starter -c 'while :; do sh -c "i=0; while [ \\$i -lt 40000 ]; do i=\\$((i+1)); done"; done' >/dev/null 2>&1 </dev/null &
      setsid sh -c '(head -c 400M /dev/zero; sleep 3000) | t-holder -n 1' >/dev/null 2>&1 </dev/null &`)
      const { id } = await pageOf(here, host.name)
      const between = async (from: number, to: number) =>
        (await here.house.technician<ProcessesPage>('GET', `/api/devices/${id}/processes?from=${from}&until=${to}`))
          .body
      const of = (page: ProcessesPage, name: string) => page.processes.find((process) => process.name === name)
      // Jiffies of the one process, and of all processors of the machine.
      const used = async () => {
        const [process, machine] = (
          await host.sh(`cut -d' ' -f14,15 /proc/$(pgrep -x t-burner)/stat; head -1 /proc/stat`)
        ).split('\n')
        const sum = (text: string) =>
          text
            .split(/\s+/)
            .map(Number)
            .reduce((a, b) => a + b, 0)
        return {
          own: sum(process!.trim()),
          all: sum(machine!.replace('cpu', '').trim().split(/\s+/).slice(0, 8).join(' ')),
        }
      }
      const [from, before] = [Date.now(), await used()]
      const page = await until(
        'eight moments',
        () => between(from, Date.now()),
        ({ moments, processes }) =>
          moments >= 8 &&
          ['t-burner', 't-starter', 't-holder'].every((name) => processes.some((one) => one.name === name)),
      )
      const after = await used()
      // Looks are some seconds apart, and what it got meanwhile is not the same each time.
      const share = (after.own - before.own) / (after.all - before.all)
      expect(Math.abs(of(page, 't-burner')!.cpuMean / share - 1)).toBeLessThan(0.4)
      expect(of(page, 't-starter')!.cpuMean).toBeGreaterThan(share / 4)
      const anonymous =
        Number((await host.sh(`awk '/RssAnon/ { print $2 }' /proc/$(pgrep -x t-holder)/status`)).trim()) * 1024
      expect(anonymous).toBeGreaterThan(400 * 1024 ** 2)
      expect(Math.abs(of(page, 't-holder')!.memory / anonymous - 1)).toBeLessThan(0.05)
      expect(page.took).toBeGreaterThan(0)
      await host.sh('pkill -x t-burner; pkill -x t-starter; pkill -x t-holder')
    },
  )

  onEach('disks as df has them, one that it may not enter told by itself', async (host) => {
    await host.addDisk('/srv/data', 64)
    await host.sh('mkdir -p /srv/closed && chmod 700 /srv/closed')
    await host.addDisk('/srv/closed/inner', 16)
    const page = await until(
      'the disks',
      () => pageOf(here, host.name),
      (page) =>
        page.disks.some((disk) => disk.mount === '/srv/data') && (page.facts.disks ?? []).some((disk) => disk.trouble),
    )
    for (const mount of ['/', '/srv/data']) {
      const [size, used, free] = (await host.sh(`df --block-size=1 --output=size,used,avail ${mount} | tail -1`))
        .trim()
        .split(/\s+/)
        .map(Number)
      const disk = page.disks.find((disk) => disk.mount === mount)!
      expect(page.facts.disks!.find((disk) => disk.mount === mount)!.size).toBe(size)
      expect(Math.abs(disk.size - used! - free!)).toBeLessThan(mount === '/' ? 1e9 : 1)
      // Others write to the first meanwhile.
      expect(Math.abs(disk.free - free!)).toBeLessThan(mount === '/' ? 1e9 : 1)
    }
    expect(page.facts.disks!.find((disk) => disk.mount === '/srv/closed/inner')?.trouble).toMatch(/EACCES|permission/i)
    await host.sh('head -c 70M /dev/zero > /srv/data/full 2>/dev/null || true')
    await until(
      'the alert of a full disk',
      () => alertsOf(here, page.id),
      (alerts) =>
        alerts.some(
          (alert) => alert.watch === 'disk' && alert.instance === '/srv/data' && alert.severity === 'critical',
        ),
    )
    await host.sh('rm /srv/data/full')
    await until(
      'its end',
      () => alertsOf(here, page.id),
      (alerts) => alerts.some((alert) => alert.instance === '/srv/data' && alert.status === 'closed'),
    )
  })

  onEach('started when uptime says, memory as free has it, paging as vmstat, ports as ss', async (host) => {
    const page = await pageOf(here, host.name)
    const started = Number(await host.sh('date --date "$(uptime --since)" +%s')) * 1000
    expect(Math.abs(page.startedAt! - started)).toBeLessThan(5000)
    const value = (metric: string) => page.latest!.readings.find(([name]) => name === metric)![2]
    const [, total, , , , , available] = (await host.sh('free --bytes | grep ^Mem:')).trim().split(/\s+/).map(Number)
    expect(value('memory.size')).toBe(total)
    expect(Math.abs(value('memory.available') - available!) / total!).toBeLessThan(0.1)
    const vmstat = (await host.sh('vmstat 1 2 | tail -1')).trim().split(/\s+/).map(Number)
    expect([Math.round(value('paging.in') / 1024), Math.round(value('paging.out') / 1024)]).toEqual([
      vmstat[6],
      vmstat[7],
    ])
    const listening = (await host.sh('ss --listening --tcp --numeric --no-header'))
      .trim()
      .split('\n')
      .map((line) => line.trim().split(/\s+/)[3]!)
      .filter((address) => !/^(127\.|\[::1\])/.test(address))
      .map((address) => Number(address.split(':').pop()))
    expect(page.facts.ports!.filter((port) => port.protocol === 'tcp').map((port) => port.port)).toEqual(
      [...new Set(listening)].sort((a, b) => a - b),
    )
  })

  onEach('interfaces that stay, and not the ends of cables to containers, which come and go', async (host) => {
    await host.sh('ip link add t-cable type veth peer name t-other && ip link set t-cable up && ip link set t-other up')
    const page = await pageOf(here, host.name)
    const heard = page.heardAt!
    const later = await until(
      'three more reports',
      () => pageOf(here, host.name),
      (now) => now.heardAt! > heard + 5000,
    )
    expect([
      ...new Set(later.latest!.readings.filter(([metric]) => metric.startsWith('net.')).map(([, name]) => name)),
    ]).toEqual(['host0'])
    type Counted = { errors: number; dropped: number }
    const [link] = JSON.parse(await host.sh('ip -json -statistics link show dev host0')) as {
      stats64: { rx: Counted; tx: Counted }
    }[]
    const { rx, tx } = link!.stats64
    const sum = rx.errors + rx.dropped + tx.errors + tx.dropped
    const told = later.latest!.readings.find(([metric]) => metric === 'net.errors')![2]
    expect(Math.abs(told - sum)).toBeLessThanOrEqual(20)
  })

  onEach('packages as dpkg lists them, held ones too', async (host) => {
    await host.sh('apt-mark hold curl')
    const installed = async () =>
      [...new Set((await host.sh(`dpkg -l | sed -n 's/^.i *\\([^ :]*\\).*/\\1/p'`)).trim().split('\n'))].sort()
    const expected = await installed()
    expect(await host.sh('dpkg -l curl | tail -1')).toMatch(/^hi/)
    await until(
      'the packages',
      () => pageOf(here, host.name),
      (page) => JSON.stringify([...(page.facts.packages ?? [])].sort()) === JSON.stringify(expected),
    )
  })

  onEach(
    'a stopped service is started again where polkit allows it, else raised; crashed, masked and broken ones are told as what they are',
    async (host) => {
      const page = await pageOf(here, host.name)
      const open = async (instance: string) =>
        (await alertsOf(here, page.id)).filter(
          (candidate) =>
            candidate.watch === 'services' && candidate.instance === instance && candidate.status !== 'closed',
        )
      const isActive = async (name: string) => (await host.run(`systemctl is-active ${name}`)).stdout.trim()
      await host.sh('systemctl stop nginx')
      if (host.debian >= 12) {
        await until(
          'nginx to be started',
          () => isActive('nginx'),
          (state) => state === 'active',
          40_000,
        )
        expect(
          await Promise.all(
            (await open('nginx')).map(async (alert) =>
              JSON.stringify((await here.house.technician('GET', `/api/alerts/${alert.id}`)).body),
            ),
          ),
        ).toEqual([])
        await host.sh('kill -KILL $(systemctl show --value --property=MainPID nginx)')
        await until(
          'nginx to be started after a crash',
          () => isActive('nginx'),
          (state) => state === 'active',
          40_000,
        )
      } else {
        await until(
          'the alert of nginx',
          () => open('nginx'),
          (alerts) => alerts.length === 1,
        )
        await host.sh('systemctl start nginx')
        await until(
          'its end',
          () => open('nginx'),
          (alerts) => alerts.length === 0,
        )
      }
      await host.sh('systemctl mask --now cron')
      await host.sh(`echo nonsense > /etc/nginx/nginx.conf; systemctl stop nginx`)
      const [alert] = await until(
        'the alert of a service that does not start',
        () => open('nginx'),
        (alerts) => alerts.length === 1,
        90_000,
      )
      expect(alert!.evidence!.text).toMatch(/^nginx (has failed|is stopped)(;|$)/)
      // Somebody has masked it: that is a decision, and no fault.
      expect(await open('cron')).toEqual([])
    },
  )

  onEach(
    'a service that came after the start of the agent is started, too: the agent starts anew to be allowed to',
    async (host) => {
      if (host.debian < 12) return
      const began = await host.sh('systemctl show --value --property=ExecMainStartTimestampMonotonic custode-agent')
      host.write(
        '/etc/systemd/system/late-comer.service',
        '[Service]\nExecStart=/bin/sleep infinity\n[Install]\nWantedBy=multi-user.target\n',
      )
      await host.sh('systemctl daemon-reload && systemctl enable late-comer 2>&1')
      const state = async () => (await host.run('systemctl is-active late-comer')).stdout.trim()
      await until('the late comer to run', state, (now) => now === 'active', 100_000)
      expect(await host.sh('systemctl show --value --property=ExecMainStartTimestampMonotonic custode-agent')).not.toBe(
        began,
      )
    },
  )

  onEach('the agent may start and stop services, and do nothing else', async (host) => {
    const asAgent = (verb: string) =>
      host.run(`setpriv --reuid custode-agent --regid custode-agent --init-groups systemctl --no-ask-password ${verb}`)
    const may = host.debian >= 12 ? 0 : 1
    expect((await asAgent('restart rsyslog.service')).code > 0).toBe(may > 0)
    // What its services are is what the rule names: one that comes later it may start after its own next start.
    host.write('/etc/systemd/system/t-later.service', '[Service]\nExecStart=/bin/sleep infinity\n')
    await host.sh('systemctl daemon-reload')
    expect((await asAgent('start t-later.service')).code).toBeGreaterThan(0)
    await host.sh('systemctl restart custode-agent')
    await until(
      'the right to start what came later',
      () => asAgent('start t-later.service'),
      ({ code }) => code > 0 === may > 0,
    )
    expect(await host.sh('systemctl is-active t-later.service || true')).toBe(may ? 'inactive\n' : 'active\n')
    await host.sh('systemctl stop t-later.service && rm /etc/systemd/system/t-later.service && systemctl daemon-reload')
    for (const verb of [
      'start poweroff.target',
      'isolate rescue.target',
      'mask rsyslog.service',
      'set-property rsyslog.service CPUWeight=1',
      'daemon-reload',
      'stop dbus.socket',
      'reboot',
      'kill rsyslog.service',
      'start systemd-reboot.service',
      'start debug-shell.service',
      'start t-instance@other.service',
    ])
      expect([verb, (await asAgent(verb)).code > 0]).toEqual([verb, true])
  })
})

/** Services in each state that one can have. */
async function furnish(host: RealHost): Promise<void> {
  const unit = (name: string, text: string) => host.write(`/usr/local/lib/systemd/system/${name}`, text)
  const service = (exec: string, more = '', install = '[Install]\nWantedBy=multi-user.target\n') =>
    `[Service]\nExecStart=${exec}\n${more}\n${install}`
  for (const name of ['t-runs', 't-stopped', 't-masked', 't-never'])
    unit(`${name}.service`, service('/bin/sleep infinity'))
  unit('t-failed.service', service('/bin/false'))
  unit('t-loops.service', service('/bin/false', 'Restart=always\nRestartSec=3600'))
  unit('t-condition.service', `[Unit]\nConditionPathExists=/nowhere\n${service('/bin/sleep infinity')}`)
  unit('t-once.service', service('/bin/true', 'Type=oneshot'))
  unit('t-instance@.service', service('/bin/sleep infinity'))
  unit('t-broken.service', '[Service]\nType=simple\n')
  for (const name of ['t-socket', 't-path']) unit(`${name}.service`, service('/bin/sleep infinity', '', ''))
  unit('t-timer.service', service('/bin/true', 'Type=oneshot', ''))
  unit('t-nightly.service', service('/bin/false', 'Type=oneshot', ''))
  unit('t-socket.socket', '[Socket]\nListenStream=127.0.0.1:7999\n[Install]\nWantedBy=sockets.target\n')
  for (const [name, port] of [
    ['t-idle', 7998],
    ['t-always', 7997],
    ['t-deaf', 7999],
  ] as const)
    unit(`${name}.socket`, `[Socket]\nListenStream=127.0.0.1:${port}\n[Install]\nWantedBy=sockets.target\n`)
  unit('t-idle.service', service('/bin/sleep 1', 'Restart=on-failure'))
  unit('t-always.service', service('/bin/sleep infinity', 'Restart=always'))
  unit('t-deaf.service', service('/bin/sleep infinity', '', ''))
  unit('t-sleep.service', service('/bin/sleep infinity', '', '[Install]\nWantedBy=sleep.target\n'))
  unit('t-account.service', service('/bin/sleep infinity', 'User=nobody'))
  unit('t-base.service', service('/bin/sleep infinity'))
  unit('t-needs.service', `[Unit]\nRequires=t-base.service\nAfter=t-base.service\n${service('/bin/sleep infinity')}`)
  unit('t-works.service', service('/bin/sleep infinity', 'Type=oneshot', ''))
  unit('t-queued.service', `[Unit]\nAfter=t-hangs.service\n${service('/bin/sleep infinity')}`)
  unit('t-hangs.service', service('/bin/sleep infinity', 'Type=notify\nTimeoutStartSec=infinity'))
  unit(
    't-looping.service',
    `[Unit]\nStartLimitIntervalSec=0\n${service('/bin/sleep 1', 'Restart=always\nRestartSec=1')}`,
  )
  unit('t-path.path', '[Path]\nPathExists=/nowhere\n[Install]\nWantedBy=multi-user.target\n')
  for (const name of ['t-timer', 't-nightly'])
    unit(`${name}.timer`, '[Timer]\nOnCalendar=2100-01-01\n[Install]\nWantedBy=timers.target\n')
  host.write(
    '/etc/init.d/t-sysv',
    '#!/bin/sh\n### BEGIN INIT INFO\n# Provides: t-sysv\n# Required-Start:\n# Required-Stop:\n# Default-Start: 2 3 4 5\n# Default-Stop: 0 1 6\n# Short-Description: Old style\n### END INIT INFO\ncase "$1" in start) start-stop-daemon --start --background --make-pidfile --pidfile /run/t-sysv.pid --exec /bin/sleep -- infinity;; stop) start-stop-daemon --stop --pidfile /run/t-sysv.pid;; esac\n',
    0o755,
  )
  await host.sh(`
    for n in 2 3 4 5; do ln -sf ../init.d/t-sysv /etc/rc$n.d/S01t-sysv; done
    systemctl daemon-reload
    systemctl enable --now t-runs t-stopped t-condition t-once t-instance@one t-socket.socket t-path.path t-timer.timer t-nightly.timer
    systemctl enable t-failed t-loops t-sleep t-hangs t-queued
    systemctl enable --now t-idle.socket t-idle t-always.socket t-always t-account t-base t-needs t-looping
    systemctl enable --now t-deaf.socket || true
    systemctl stop t-always t-base
    systemctl start --no-block t-works t-hangs t-queued
    systemctl start t-failed t-loops t-nightly t-broken || true
    systemctl start t-timer t-sysv
    systemctl stop t-stopped
    systemctl mask t-masked`)
}
