import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { minute } from '#core'
import { disksCollector, parseStat } from './linux/disks'
import { diskMounts, parseFstab, parseMounts, parsePseudo, readOnlyReason } from './linux/mounts'
import { eventlogCollector } from './linux/eventlog'
import { parseJournalLine } from './linux/eventlog/journalEntry'
import { parseLogLine } from './linux/eventlog/logLine'
import { parseInterfaces, parseRoutes, parseRoutes6 } from './linux/network'
import { parseCpu, parseMemory, parseSwap, performanceCollector } from './linux/performance'
import { parseStatusAll, servicesCollector } from './linux/services'
import { parseSystemctlShow, startsBetween, Times } from './linux/systemd'
import { comesAndGoes } from './linux/systemdUnit'
import { Starts } from './starts'

const home = mkdtempSync(join(tmpdir(), 'custode-agent-'))
afterAll(() => rmSync(home, { recursive: true }))
const system = (program: string, ...args: string[]) =>
  execFileSync(program, args, { encoding: 'utf8', env: { ...process.env, LC_ALL: 'C' } })

describe('disks', () => {
  it('agree with df(1) of this machine', async () => {
    const { readings, facts } = await disksCollector().collect(Date.now())
    const [, ...lines] = system('df', '--block-size=1', '--output=target,size,used,avail', '/').trim().split('\n')
    const [target, size, used, available] = lines[0]!.trim().split(/\s+/)
    const value = (metric: string) => readings!.find((reading) => reading[0] === metric && reading[1] === target)![2]
    expect(facts!.disks!.find(({ mount }) => mount === target)!.size).toBe(Number(size))
    // What is reserved for root is neither used nor free. Others write meanwhile.
    const meanwhile = 512 * 1024 * 1024
    expect(Math.abs(value('disk.size') - Number(used) - Number(available))).toBeLessThan(meanwhile)
    expect(Math.abs(value('disk.free') - Number(available))).toBeLessThan(meanwhile)
  })
  // Lines as proc(5) has them in its example, with more or fewer of its optional fields.
  const line = (mount: string, whole: string, optional = 'master:1 ') =>
    `36 35 98:0 / ${mount} ro,noatime ${optional}- ${whole}`
  it('leave pseudo file systems out, and second places of one device', () => {
    const mounts = parseMounts(
      [
        line('/proc', 'proc proc rw', ''),
        line('/', 'ext4 /dev/sda1 rw,errors=remount-ro'),
        line('/mnt/again', 'ext4 /dev/sda1 rw', 'shared:7 master:1 '),
        line('/srv/my\\040images', 'ext4 /dev/sdb1 ro', ''),
        line('/run', 'tmpfs tmpfs rw'),
        line('/snap/x', 'squashfs /dev/loop0 ro'),
        line('/mnt/team', 'nfs4 files.example:/team rw'),
        '',
      ].join('\n'),
    )
    const found = diskMounts(mounts, parsePseudo('nodev\tproc\nnodev\ttmpfs\nnodev\tnfs4\n\text4\n'))
    expect(found.map(({ mount, isReadOnly }) => [mount, isReadOnly])).toEqual([
      ['/', false],
      ['/mnt/team', false],
      ['/srv/my images', true],
    ])
  })
  const fstab = parseFstab('# <file system> …\n/dev/sdb1\t/srv/ ext4 defaults 0 2\n/dev/sdc1 /old ext4 nofail,ro 0 2\n')
  it.each([
    ['can be written to', '/srv', 'rw', { errors: 3 }, null],
    ['after an error', '/srv', 'ro', { errors: 1 }, 'fault'],
    ['after an error, though no fstab has it', '/other', 'ro', { errors: 1 }, 'fault'],
    [
      'after an error, as Linux shows it since 6.12',
      '/srv',
      'rw,errors=remount-ro,emergency_ro',
      { errors: 1 },
      'fault',
    ],
    ['by hand', '/srv', 'ro', { errors: 0 }, 'changed'],
    ['by hand, though no fstab has it', '/other', 'ro', { errors: 0, wasWritable: true }, 'changed'],
    ['of a kind that counts no errors', '/srv', 'ro', { errors: null }, 'fault'],
    ['as fstab wants it, whatever is wrong with it', '/old', 'ro', { errors: 1 }, 'meant'],
    ['from the first look on, and in no fstab', '/other', 'ro', { errors: 0 }, 'meant'],
  ])('read-only %s: %s', (_, place, whole, more, expected) => {
    const [mount] = parseMounts(line(place, `ext4 /dev/sdb1 ${whole}`))
    const beside = { fstab: fstab.get(place), wasWritable: false, ...more }
    expect(readOnlyReason(mount!, beside)).toBe(expected)
  })
  it('are asked by stat(1) where a file system has a unit of its own, with the same result', async () => {
    const { readings } = await disksCollector().collect(Date.now())
    const room = parseStat(system('stat', '-f', '-c', '%S %b %f %a %c %d', '/'))
    const size = readings!.find(([metric, mount]) => metric === 'disk.size' && mount === '/')![2]
    expect(Math.abs(room.size - room.free + room.available - size)).toBeLessThan(512 * 1024 * 1024)
  })
})

describe('performance', () => {
  it('memory agrees with free(1)', async () => {
    const { readings } = await performanceCollector().collect(Date.now())
    const total = Number(/^Mem:\s+(\d+)/m.exec(system('free', '--bytes'))![1])
    expect(readings!.find((reading) => reading[0] === 'memory.size')![2]).toBe(total)
  })
  it('reads the first line of /proc/stat: the example of proc_stat(5)', () => {
    expect(parseCpu('cpu  10132153 290696 3084719 46828483 16683 0 25195 0 175628 0\ncpu0 1393280\n')).toEqual({
      busy: 10132153 + 290696 + 3084719 + 25195,
      wait: 16683,
      steal: 0,
      total: 10132153 + 290696 + 3084719 + 25195 + 46828483 + 16683,
    })
  })
  it('reads swapped pages and memory lines', () => {
    expect(parseSwap('pgpgin 7\npswpin 12\npswpout 34\n')).toEqual({ in: 12, out: 34 })
    expect(parseMemory('MemTotal:       1024 kB\nActive(anon):    2 kB\n').get('MemTotal')).toBe(1024 * 1024)
  })
  it('counts bytes, errors and drops by interface, and leaves loopback out', () => {
    expect([
      ...parseInterfaces(
        'a\nb\n    lo: 5 1 0 0 0 0 0 0 5 1 0 0 0 0 0 0\n  eth0: 100 1 2 4 0 0 0 0 200 1 7 9 0 0 0 0\n',
      ),
    ]).toEqual([['eth0', { received: 100, sent: 200, errors: 22 }]])
  })
})

describe('routes to everywhere', () => {
  // Fields as the kernel prints them (fib_trie.c, route.c of Linux 6.1): addresses in the order of the machine.
  const head = 'Iface\tDestination\tGateway \tFlags\tRefCnt\tUse\tMetric\tMask\t\tMTU\tWindow\tIRTT\n'
  const line = (destination: string, gateway: string, flags: string, metric: number, mask = '00000000') =>
    `eth0\t${destination}\t${gateway}\t${flags}\t0\t0\t${metric}\t${mask}\t0\t0\t0   \n`
  it('lead to the routers of those with the lowest metric', () => {
    expect(
      parseRoutes(
        head +
          line('00000000', '010200C0', '0003', 100) +
          line('00000000', 'FE0200C0', '0003', 600) +
          line('000200C0', '00000000', '0001', 0, '00FFFFFF'),
        'LE',
      ),
    ).toEqual(['192.0.2.1'])
    expect(
      parseRoutes(head + line('00000000', 'C0000201', '0003', 0) + line('00000000', 'C0000202', '0003', 0), 'BE'),
    ).toEqual(['192.0.2.1', '192.0.2.2'])
  })
  it('lead to none over a tunnel, where they are down, or where there are none', () => {
    expect(parseRoutes(head + line('00000000', '00000000', '0001', 0), 'LE')).toEqual([])
    expect(parseRoutes(head + line('00000000', '010200C0', '0002', 0), 'LE')).toEqual([])
    expect(parseRoutes(head, 'LE')).toEqual([])
    expect(parseRoutes('', 'LE')).toEqual([])
  })
  it('of IPv6 are written short, and told where the router has an address beyond the link', () => {
    const none = '0'.repeat(32)
    const row = (gateway: string, metric: string, flags = '00000003') =>
      `${none} 00 ${none} 00 ${gateway} ${metric} 00000003 00000000 ${flags}     eth0\n`
    const known = '20010db8000000000000000000000001'
    expect(parseRoutes6(row(known, '00000400') + row('fe800000000000000000000000000001', '00000800'))).toEqual([
      '2001:db8::1',
    ])
    expect(parseRoutes6(row('fe800000000000000000000000000001', '00000400'))).toEqual([])
    // What is not reachable is a route, too: on the loopback, without a router.
    expect(parseRoutes6(`${none} 00 ${none} 00 ${none} ffffffff 00000001 00000000 00200200       lo\n`)).toEqual([])
    expect(parseRoutes6('')).toEqual([])
  })
})

describe('services', () => {
  // The form that systemctl(1) documents for `show` of several units.
  const shown = `Id=nginx.service
Description=A high performance web server
LoadState=loaded
ActiveState=inactive
SubState=dead
UnitFileState=enabled
Type=forking
TriggeredBy=
WantedBy=multi-user.target
Result=success

Id=cups.service
Description=CUPS = printing
LoadState=loaded
ActiveState=inactive
SubState=dead
UnitFileState=disabled
Type=notify
TriggeredBy=cups.path cups.socket
Result=success

Id=networking.service
Description=Raise network interfaces
LoadState=loaded
ActiveState=active
SubState=exited
UnitFileState=enabled
Type=oneshot
TriggeredBy=
Result=success

Id=gone.service
LoadState=not-found
ActiveState=inactive

Id=postgresql@15-main.service
Description=PostgreSQL Cluster 15-main
LoadState=loaded
ActiveState=failed
SubState=failed
UnitFileState=enabled-runtime
Type=forking
TriggeredBy=
Result=exit-code
`
  const around = {
    activeOf: (name: string) => (name === 'multi-user.target' ? 'active' : 'inactive'),
    isQueued: () => false,
  }
  it('of systemd: what starts by itself, by a socket, once, or not at all', () => {
    expect(
      parseSystemctlShow(shown, around).map((service) => `${service.name} ${service.start} ${service.state}`),
    ).toEqual([
      'cups on-demand stopped',
      'networking automatic finished',
      'nginx automatic stopped',
      'postgresql@15-main automatic failed',
    ])
    expect(parseSystemctlShow(shown, around)[0]!.title).toBe('CUPS = printing')
  })
  // Properties as systemctl(1) shows them; each case is held against a live systemd on the real hosts, too.
  it.each<[what: string, unit: Record<string, string>, told: string]>([
    [
      'runs once its socket is asked, and ends by itself',
      { TriggeredBy: 'it.socket', Restart: 'on-failure' },
      'on-demand stopped',
    ],
    ['would not have ended by itself', { TriggeredBy: 'it.socket', Restart: 'always' }, 'automatic stopped'],
    ['its socket is not there either', { TriggeredBy: 'gone.socket' }, 'automatic stopped'],
    ['wanted by what does not happen here', { WantedBy: 'sleep.target' }, 'on-demand stopped'],
    ['wanted by what is about to start', { WantedBy: 'late.target' }, 'automatic stopped'],
    ['wanted by nothing that is loaded', { WantedBy: '' }, 'on-demand stopped'],
    ['waits for its turn', { Job: '213' }, 'automatic starting'],
    ['failed on its way', { Result: 'exit-code', TriggeredBy: 'it.socket' }, 'automatic stopped'],
    ['hangs in its start', { ActiveState: 'activating', SubState: 'start', Type: 'notify' }, 'automatic starting'],
    ['a job at work', { Type: 'oneshot', ActiveState: 'activating', SubState: 'start' }, 'automatic running'],
  ])('of systemd, set to start: %s', (_, unit, told) => {
    const all = {
      Id: 'it.service',
      LoadState: 'loaded',
      ActiveState: 'inactive',
      SubState: 'dead',
      UnitFileState: 'enabled',
      Type: 'simple',
      Restart: 'no',
      WantedBy: 'multi-user.target',
      Result: 'success',
      Job: '0',
      ...unit,
    }
    const output = Object.entries(all)
      .map(([name, value]) => `${name}=${value}\n`)
      .join('')
    const found = parseSystemctlShow(output, {
      activeOf: (name) => (['multi-user.target', 'it.socket'].includes(name) ? 'active' : 'inactive'),
      isQueued: (name) => name === 'late.target',
    })
    expect(found.map(({ start, state }) => `${start} ${state}`)).toEqual([told])
  })
  it.each<[what: string, unit: Record<string, string>, does: boolean]>([
    ['set to start', {}, false],
    ['from a SysV script that a runlevel has', { UnitFileState: 'generated' }, false],
    ['a job', { Type: 'oneshot' }, true],
    ['asked for through a socket', { TriggeredBy: 'it.socket' }, true],
    ['not set to start: asked for through the bus, or by hand', { UnitFileState: 'static' }, true],
  ])('of systemd, come and go: %s', (_, unit, does) => {
    expect(comesAndGoes({ UnitFileState: 'enabled', Type: 'simple', WantedBy: 'multi-user.target', ...unit })).toBe(
      does,
    )
  })
  it('count how often they were started: by systemd, by others, what comes and goes only where systemd had to', () => {
    const run = (restarts: number, at: number, comesAndGoes = false) => ({ restarts, at, comesAndGoes })
    expect([
      startsBetween(run(7, 5), run(7, 5)),
      startsBetween(run(7, 5), run(10, 9)),
      // By hand: the count of systemd begins anew.
      startsBetween(run(7, 5), run(0, 6)),
      startsBetween(run(0, 6), run(2, 7)),
      startsBetween(run(0, 0), run(0, 3)),
      startsBetween(run(0, 5, true), run(0, 6, true)),
      startsBetween(run(0, 6, true), run(1, 7, true)),
    ]).toEqual([0, 3, 1, 2, 1, 0, 1])
  })
  it('keep since when they are so, and move it along when the clock is set', () => {
    const times = new Times()
    const at = Date.parse('2026-11-30T12:00:00Z')
    const seen = (now: number, up: number) => {
      times.look(now, up)
      return times.of('web', 5_000_000, now, up - 5000) - at
    }
    expect(seen(at, 65_000)).toBe(-minute)
    // A second more by one clock than by the other is no news; an hour is.
    expect(seen(at + 61_000, 125_000)).toBe(-minute)
    expect(seen(at + 60 * minute + 120_000, 185_000)).toBe(59 * minute)
    expect(seen(at + 180_000, 245_000)).toBe(-minute)
  })
  it('tell of starts where there were several in the last hour, and keep nothing of what is gone', () => {
    const starts = new Starts<number>((before, now) => now - before)
    const at = Date.parse('2026-11-30T12:00:00Z')
    const look = (minutes: number, runs: Record<string, number>) =>
      starts
        .next(new Map(Object.entries(runs)), minutes * minute, at + minutes * minute)
        .map(
          ({ service, looks }) =>
            `${service} ${looks.map((each) => `${(each.at - at) / minute}:${each.count}`).join(' ')}`,
        )
    expect(look(0, { web: 5, mail: 0 })).toEqual([])
    expect(look(1, { web: 6, mail: 0 })).toEqual([])
    expect(look(2, { web: 7, mail: 3 })).toEqual(['mail 2:3', 'web 1:1 2:1'])
    expect(look(61, { web: 7 })).toEqual(['mail 2:3'])
    expect(look(62, { web: 7, mail: 9 })).toEqual([])
    // The clock was set an hour ahead: what was seen before moves along.
    const [moved] = starts.next(new Map([['mail', 11]]), 63 * minute, at + 123 * minute)
    expect(moved!.looks.map((each) => (each.at - at) / minute)).toEqual([123])
    const [both] = starts.next(new Map([['mail', 12]]), 64 * minute, at + 64 * minute)
    expect(both!.looks.map((each) => (each.at - at) / minute)).toEqual([63, 64])
  })
  it('of SysV: + runs, - does not, ? is left out (service(8))', () => {
    expect(parseStatusAll(' [ + ]  cron\n [ - ]  dbus\n [ ? ]  hwclock.sh\n', (name) => name === 'cron')).toEqual([
      { name: 'cron', title: '', start: 'automatic', state: 'running' },
      { name: 'dbus', title: '', start: 'manual', state: 'stopped' },
    ])
  })
  it.runIf(existsSync('/usr/sbin/service') && !existsSync('/run/systemd/system'))(
    'agree with service(8) of this machine',
    async () => {
      const { facts } = await servicesCollector().collect(Date.now())
      const told = [...system('/usr/sbin/service', '--status-all').matchAll(/^ \[ [+-] \]/gm)].length
      expect(facts!.services!.length).toBe(told)
    },
  )
})

describe('log lines', () => {
  const now = new Date(2026, 10, 23, 12).getTime()
  it('of RFC 5424: the examples of its section 6.5', () => {
    expect(
      parseLogLine(
        "<34>1 2003-10-11T22:14:15.003Z mymachine.example.com su - ID47 - \uFEFF'su root' failed for lonvick on /dev/pts/8",
        's',
        now,
      ),
    ).toEqual({
      at: Date.parse('2003-10-11T22:14:15.003Z'),
      channel: 's',
      source: 'su',
      id: null,
      level: 'critical',
      text: "'su root' failed for lonvick on /dev/pts/8",
    })
    expect(
      parseLogLine(
        "<165>1 2003-08-24T05:14:15.000003-07:00 192.0.2.1 myproc 8710 - - %% It's time to make the do-nuts.",
        's',
        now,
      ),
    ).toMatchObject({ at: Date.parse('2003-08-24T05:14:15.000-07:00'), source: 'myproc', level: 'notice' })
    expect(
      parseLogLine(
        '<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"] \uFEFFAn application event log entry...',
        's',
        now,
      ),
    ).toMatchObject({ source: 'evntslog', text: 'An application event log entry...' })
  })
  it('of RFC 3164: the example of its section 5.4, which has neither year nor zone', () => {
    const event = parseLogLine("<34>Oct 11 22:14:15 mymachine su: 'su root' failed for lonvick on /dev/pts/8", 's', now)
    expect(event).toMatchObject({ source: 'su', level: 'critical', at: new Date(2026, 9, 11, 22, 14, 15).getTime() })
    expect(parseLogLine('Dec 31 23:59:59 host cron[12]: late', 's', now)).toMatchObject({
      at: new Date(2025, 11, 31, 23, 59, 59).getTime(),
      source: 'cron',
      text: 'late',
    })
  })
  it('of newer syslog daemons and of dpkg', () => {
    expect(parseLogLine('2026-11-23T10:00:00.123456+00:00 host kernel: I/O error', 's', now)).toMatchObject({
      at: Date.parse('2026-11-23T10:00:00.123Z'),
      source: 'kernel',
      text: 'I/O error',
    })
    expect(parseLogLine('2026-11-01 12:00:00 status installed libc6:amd64 2.36-9', 'dpkg.log', now)).toMatchObject({
      source: 'dpkg',
      text: 'status installed libc6:amd64 2.36-9',
    })
    expect(parseLogLine('no log line at all', 's', now)).toBeNull()
  })
  it('of the journal (systemd.journal-fields(7))', () => {
    expect(
      parseJournalLine(
        '{"__REALTIME_TIMESTAMP":"1700000000123456","PRIORITY":"3","SYSLOG_IDENTIFIER":"sshd","MESSAGE":"no"}',
      ),
    ).toEqual({ at: 1700000000123, channel: 'journal', source: 'sshd', id: null, level: 'error', text: 'no' })
    expect(parseJournalLine('{"__REALTIME_TIMESTAMP":"1700000000000000","MESSAGE":[104,105]}')!.text).toBe('hi')
    expect(parseJournalLine('garbage')).toBeNull()
  })
  it.runIf(existsSync('/var/log/dpkg.log') && !existsSync('/run/systemd/journal/socket'))(
    'of this machine are read once',
    async () => {
      const collector = eventlogCollector()
      expect((await collector.collect(Date.now())).events!.length).toBeGreaterThan(0)
      expect((await collector.collect(Date.now())).events).toEqual([])
    },
  )
})
