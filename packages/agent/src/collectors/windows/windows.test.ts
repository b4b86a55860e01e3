import { XMLParser, XMLValidator } from 'fast-xml-parser'
import { describe, expect, it } from 'vitest'
import { taskXml } from '../../install/windows'
import {
  channelsOf,
  drivesOf,
  eventsOf,
  gatewaysOf,
  snapshotScript,
  recordsOf,
  servicesOf,
  runsOf,
  startsBetween,
  type Snapshot,
} from './snapshot'
import { quoted } from '../../powershell/powershell'
import { FirstSeen } from '../firstSeen'
import { nothing as noProtection, parseProtection, type FoundProtection } from './protection'
import { parseSessions } from './sessions'
import { parseUpdates } from './updates'

// Objects as ConvertTo-Json writes those of the documented classes; written from memory, not read off a machine.
const snapshot = (more: Partial<Snapshot> = {}): Snapshot => ({
  services: [],
  triggered: [],
  events: [],
  disks: [],
  adapters: [],
  routes: [],
  tcp: [],
  udp: [],
  paging: null,
  processes: [],
  ...more,
})
const service = (
  Name: string,
  StartMode: string,
  State: string,
  DelayedAutoStart = false,
  more: Partial<Snapshot['services'][number]> = {},
) => ({
  Name,
  DisplayName: `${Name} service`,
  StartMode,
  State,
  DelayedAutoStart,
  StartName: 'LocalSystem',
  ExitCode: State === 'Running' ? 0 : 1077,
  ProcessId: 0,
  ...more,
})
const process = (ProcessId: number, Began: number) => ({
  ProcessId,
  ParentProcessId: 4,
  Name: 'svchost.exe',
  KernelModeTime: 0,
  UserModeTime: 0,
  WorkingSetSize: 0,
  PrivatePageCount: 0,
  Began,
})

it('a text stays one text for PowerShell, whatever quotes are in it', () => {
  expect(quoted('Print Spooler')).toBe(`'Print Spooler'`)
  expect(quoted(`a'; Stop-Computer; '`)).toBe(`'a''; Stop-Computer; '''`)
  expect(quoted('a’; Stop-Computer')).toBe(`'a’’; Stop-Computer'`)
})

describe('services of Win32_Service', () => {
  it('that start late or on a trigger are not expected to run; names of triggers are in any case', () => {
    const services = servicesOf(
      snapshot({
        services: [
          service('W32Time', 'Auto', 'Stopped'),
          service('Spooler', 'Auto', 'Running'),
          service('MapsBroker', 'Auto', 'Stopped', true),
          service('BITS', 'Manual', 'Start Pending'),
          service('RemoteRegistry', 'Disabled', 'Stopped'),
          service('Fax', 'Manual', 'Paused'),
        ],
        triggered: ['w32time'],
      }),
    )
    expect(services.map((listed) => [listed.name, listed.start, listed.state])).toEqual([
      ['BITS', 'manual', 'starting'],
      ['Fax', 'manual', 'running'],
      ['MapsBroker', 'late', 'stopped'],
      ['RemoteRegistry', 'disabled', 'stopped'],
      ['Spooler', 'automatic', 'running'],
      ['W32Time', 'on-demand', 'stopped'],
    ])
  })
  it('that ended with an error have failed, however they start; never started, or ended well, they are stopped', () => {
    const ended = (ExitCode: number) => service('it', 'Auto', 'Stopped', true, { ExitCode })
    expect([0, 1077, 1067, 1066].map((code) => servicesOf(snapshot({ services: [ended(code)] }))[0]!.state)).toEqual([
      'stopped',
      'stopped',
      'failed',
      'failed',
    ])
  })
  it('tell their account, who needs them, and since when they run: as long as their process', () => {
    // A FILETIME of 2026-11-30T00:00:00Z.
    const began = 134_404_704_000_000_000
    const services = servicesOf(
      snapshot({
        services: [
          service('RpcSs', 'Auto', 'Running', false, { ProcessId: 700, StartName: 'NT AUTHORITY\\NetworkService' }),
          service('Spooler', 'Auto', 'Running'),
        ],
        processes: [process(700, began)],
      }),
      [
        { Name: 'Spooler', DependOnService: ['RPCSS', 'http'] },
        { Name: 'WinRM', DependOnService: 'RPCSS' },
      ],
    )
    expect(services).toMatchObject([
      {
        name: 'RpcSs',
        account: 'NT AUTHORITY\\NetworkService',
        since: Date.parse('2026-11-30T00:00:00Z'),
        neededBy: ['Spooler', 'WinRM'],
      },
      { name: 'Spooler', account: 'LocalSystem' },
    ])
    expect(services[1]!.since).toBeUndefined()
  })
  it('were started when they run in another process than before, or in one that has begun since', () => {
    const spooler = (pid: number, State = 'Running') => service('Spooler', 'Auto', State, false, { ProcessId: pid })
    const run = (pid: number, began: number) =>
      runsOf(snapshot({ services: [spooler(pid)], processes: [process(pid, began)] })).get('Spooler')!
    const stopped = runsOf(snapshot({ services: [spooler(0, 'Stopped')] })).get('Spooler')!
    expect([
      startsBetween(run(700, 1), run(700, 1)),
      startsBetween(run(700, 1), run(812, 2)),
      startsBetween(run(812, 2), run(812, 3)),
      startsBetween(run(812, 3), stopped),
      startsBetween(stopped, run(812, 4)),
    ]).toEqual([0, 1, 1, 0, 1])
    const others = [
      service('Late', 'Auto', 'Running', true),
      service('W32Time', 'Auto', 'Running'),
      service('Fax', 'Manual', 'Running'),
    ]
    expect([...runsOf(snapshot({ services: others, triggered: ['w32time'] })).keys()]).toEqual([])
  })
})

it('routers are those of the routes to everywhere with the lowest metric, of each family', () => {
  const route = (NextHop: string, Metric: number) => ({ NextHop, Metric })
  expect(
    gatewaysOf({
      routes: [
        route('192.0.2.254', 75),
        route('192.0.2.1', 25),
        route('FE80::1', 16),
        route('2001:DB8::1', 16),
        route('2001:DB8::2', 30),
      ],
    }),
  ).toEqual(['192.0.2.1', '2001:db8::1'])
  expect(gatewaysOf({ routes: [route('0.0.0.0', 5), route('192.0.2.1', 25)] })).toEqual([])
  expect(gatewaysOf({ routes: [] })).toEqual([])
})

describe('drives of Get-PhysicalDisk', () => {
  // MSFT_PhysicalDisk and MSFT_StorageReliabilityCounter of the Storage Management API; never read off a machine.
  it('tell their verdict, and those without moving parts how far they are worn', () => {
    const drive = (DeviceId: string, Media: string, Health: string) => ({
      DeviceId,
      FriendlyName: 'Lantern Field S480 ',
      SerialNumber: ' LF1',
      Media,
      Health,
    })
    const inventory = {
      logs: [],
      packages: [],
      needs: [],
      drives: [drive('0', 'SSD', 'Healthy'), drive('1', 'HDD', 'Warning'), drive('2', 'Unspecified', 'Unknown')],
      wear: [
        { DeviceId: '0', Wear: 4, ReadErrorsUncorrected: null },
        { DeviceId: '1', Wear: 0, ReadErrorsUncorrected: 3 },
      ],
    }
    const named = { model: 'Lantern Field S480', serial: 'LF1' }
    expect(drivesOf(inventory)).toEqual([
      { name: 'PhysicalDrive0', ...named, media: 'ssd', passed: true, worn: 0.04 },
      { name: 'PhysicalDrive1', ...named, media: 'hdd', passed: false, uncorrectable: 3 },
      { name: 'PhysicalDrive2', ...named, media: 'unknown', passed: null },
    ])
  })
})

describe('events of Get-WinEvent', () => {
  const event = (RecordId: number, more: object = {}) => ({
    LogName: 'System',
    ProviderName: 'disk',
    Id: 7,
    Level: 2,
    Time: '2026-11-23T10:00:00.1234567Z',
    Message: 'The device has a\r\n  bad block.',
    RecordId,
    ...more,
  })
  it('come in order of time, on one line, at the level of the event schema', () => {
    expect(
      eventsOf(
        snapshot({
          events: [
            event(2),
            event(1, { Time: '2026-11-23T09:00:00Z', Level: 3, Message: null }),
            event(3, { Time: 'never' }),
          ],
        }),
      ),
    ).toEqual([
      { at: Date.parse('2026-11-23T09:00:00Z'), channel: 'System', source: 'disk', id: 7, level: 'warning', text: '' },
      {
        at: Date.parse('2026-11-23T10:00:00.123Z'),
        channel: 'System',
        source: 'disk',
        id: 7,
        level: 'error',
        text: 'The device has a bad block.',
      },
    ])
  })
  it('are asked for from the last record on, of each log; one never read gives its newest', () => {
    const read = recordsOf(snapshot({ events: [event(12), event(11)] }), { Application: 5 })
    expect(read).toEqual({ Application: 5, System: 12 })
    const script = snapshotScript({ ...read, "Bob's": null })
    expect(script).toContain(
      "Get-WinEvent -LogName 'System' -FilterXPath '*[System[EventRecordID>12]]' -MaxEvents 200 -Oldest",
    )
    expect(script).toContain("Get-WinEvent -LogName 'Bob''s' -MaxEvents 20")
  })
  it('tell which logs there are and which are read', () => {
    expect(channelsOf(['System', 'DNS Server'], ['System', 'Application'])).toEqual([
      { name: 'System', collected: true },
      { name: 'DNS Server', collected: false },
    ])
  })
})

it('updates are told apart, with their rating, and wait from when they were first seen', () => {
  const found = {
    updates: [
      { Title: 'Security update A', Security: true, Rating: 'Important', Hidden: false, Articles: 'KB500001' },
      { Title: 'Driver B', Security: false, Rating: null, Hidden: false, Articles: '' },
      { Title: 'Driver C', Security: false, Rating: null, Hidden: true, Articles: '' },
    ],
    restart: true,
    installed: 4000,
  }
  const seen = new FirstSeen(null)
  parseUpdates({ updates: found.updates.slice(1, 2), restart: false }, seen, 100)
  const { updates, waiting } = parseUpdates(found, seen, 5000)
  expect(updates).toMatchObject({
    security: 1,
    other: 1,
    held: 1,
    oldestSecurityAt: 5000,
    oldestOtherAt: 100,
    restartPending: true,
    restartSince: 5000,
    installedAt: 4000,
    names: ['Security update A', 'Driver B'],
  })
  expect(waiting).toEqual([
    { name: 'Security update A', security: true, rating: 'important', origin: 'KB500001', since: 5000 },
    { name: 'Driver C', security: false, held: 'asked', since: 5000 },
    { name: 'Driver B', security: false, since: 100 },
  ])
})

it('the task is well-formed XML, by a parser of its own, and quotes what has to be', () => {
  const text = taskXml({
    program: 'C:\\Program Files\\A & B\\custode-agent.exe',
    home: 'C:\\ProgramData\\Custode Agent',
  })
  expect(XMLValidator.validate(text)).toBe(true)
  const { Task } = new XMLParser().parse(text) as { Task: { Actions: { Exec: object } } }
  expect(Task.Actions.Exec).toEqual({
    Command: 'C:\\Program Files\\A & B\\custode-agent.exe',
    Arguments: 'run --home "C:\\ProgramData\\Custode Agent"',
  })
})

describe('how well Windows is protected', () => {
  // 397568 and 266240, 393472 and the like, as the Security Center writes them, from memory.
  const [on, old, off] = [0x61100, 0x61110, 0x60100]
  const found = (more: Partial<FoundProtection>) => parseProtection({ ...noProtection, ...more })
  it('a workstation, by its Security Center', () => {
    expect(
      found({
        scanners: [
          { Name: 'Windows Defender', State: off },
          { Name: 'Lantern Shield', State: old },
        ],
        own: { On: false, Made: 5 },
      }).scanners,
    ).toEqual([
      { name: 'Windows Defender', isOn: false, definitionsAt: 5 },
      { name: 'Lantern Shield', isOn: true, isOutdated: true },
    ])
    expect(found({ scanners: [{ Name: 'Lantern Shield', State: on }] }).scanners).toEqual([
      { name: 'Lantern Shield', isOn: true, isOutdated: false },
    ])
  })
  it('a server, which has none', () => {
    expect(found({ own: { On: true, Made: 7 } }).scanners).toEqual([
      { name: 'Microsoft Defender', isOn: true, definitionsAt: 7 },
    ])
  })
  const profiles = [
    { Name: 'Domain', On: true, Open: false },
    { Name: 'Private', On: true, Open: true },
    { Name: 'Public', On: false, Open: false },
  ]
  it('the profiles of its firewall, or one that took over', () => {
    expect(found({ profiles }).firewalls).toEqual([
      { name: 'Domain', isOn: true, by: 'Windows' },
      { name: 'Private', isOn: false, by: 'Windows' },
      { name: 'Public', isOn: false, by: '' },
    ])
    expect(found({ profiles, firewalls: [{ Name: 'Lantern Wall', State: on }] }).firewalls[2]).toEqual({
      name: 'Public',
      isOn: true,
      by: 'Lantern Wall',
    })
    expect(found({}).firewalls.map(({ isOn }) => isOn)).toEqual([null, null, null])
  })
  it('its volumes; one that is locked is not known', () => {
    const volumes = [0, 1, 2].map((Status) => ({ Name: `${'CDE'[Status]}:`, Status }))
    expect(found({ volumes }).volumes.map(({ isEncrypted }) => isEncrypted)).toEqual([false, true, null])
    expect(found({}).volumes).toMatchObject([{ name: 'C:', isEncrypted: null }])
  })
  it.each([
    ['Leap Indicator: 0(no warning)', true],
    ['Sprungindikator: 0(keine Warnung)', true],
    ['Leap Indicator: 3(not synchronized)', false],
    [null, false],
    ['something else', null],
  ])('its clock: %s', (time, isSynchronised) => {
    expect(found({ time }).clock.isSynchronised).toBe(isSynchronised)
  })
})

describe('who is signed in to Windows', () => {
  const none = { shells: [], ways: null, drain: null, isHost: false }
  it('is who has a shell, once a session, from its first', () => {
    const shell = (SessionId: number, User: string, Began: number) => ({ SessionId, User, Began })
    const { sessions, readings } = parseSessions({
      ...none,
      shells: [shell(2, 'SALT\\ines', 900), shell(1, 'SALT\\odile', 200), shell(2, 'SALT\\ines', 300)],
      ways: [12, 181, 3],
    })
    expect(sessions.list.map(({ id, user, since }) => [id, user, since])).toEqual([
      ['1', 'SALT\\odile', 200],
      ['2', 'SALT\\ines', 300],
    ])
    expect(readings).toEqual([
      ['sessions.count', '', 2],
      ['sessions.latency', '', 181],
    ])
  })
  it.each<[string, number | null, boolean, string | null | undefined]>([
    ['a workstation', 0, false, undefined],
    ['a host that takes sessions', 0, true, null],
    ['one that takes none', 2, true, 'it takes no sessions'],
    ['one that takes none until a restart', 1, true, 'it takes no sessions until it is started anew'],
    ['one that does not tell', null, true, undefined],
  ])('%s', (_, drain, isHost, closedBy) => {
    expect(parseSessions({ ...none, drain, isHost }).sessions.closedBy).toBe(closedBy)
  })
})
