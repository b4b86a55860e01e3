import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  factsAsked,
  noNames,
  targetFaults,
  targets,
  targetSentence,
  type DeviceTraits,
  type EstateNames,
  type Target,
} from '.'
import { webServer } from '../testing/device'

const device: DeviceTraits = {
  ...webServer,
  facts: {
    ...webServer.facts,
    packages: ['postgresql-15'],
    ports: [{ port: 443, protocol: 'tcp' }],
    disks: [{ mount: '/srv', device: 'sda1', fileSystem: 'ext4', removable: false, size: 1 }],
    logs: [{ name: 'syslog', collected: true }],
  },
}
const names: EstateNames = {
  client: (id) => (id === 1 ? 'Tidemill Ferries' : null),
  site: (id) => (id === 11 ? 'Tidemill Ferries · Harbour' : null),
  role: (id) => ({ web: 'web server', database: 'database server' })[id] ?? null,
  device: (id) => (id === 7 ? 'tm-web-1' : null),
}
const all = (...of: Target[]): Target => ({ on: 'all', of })
const any = (...of: Target[]): Target => ({ on: 'any', of })
const except = (...of: Target[]): Target => ({ on: 'except', of })
const server: Target = { on: 'kind', kind: 'server' }
const linux: Target = { on: 'os', osFamily: 'linux' }
const ferries: Target = { on: 'client', clientId: 1 }
const lab: Target = { on: 'tag', tag: 'lab' }
const fact = (of: 'service' | 'package' | 'port' | 'disk' | 'log', pattern: string): Target => ({
  on: 'fact',
  fact: of,
  pattern,
})

describe('a target', () => {
  it.each<[Target, boolean]>([
    [{ on: 'everyone' }, true],
    [server, true],
    [{ on: 'kind', kind: 'workstation' }, false],
    [linux, true],
    [{ on: 'osName', pattern: 'debian*12' }, true],
    [{ on: 'osName', pattern: 'Debian*11' }, false],
    [{ on: 'role', role: 'web' }, true],
    [ferries, true],
    [{ on: 'client', clientId: 2 }, false],
    [{ on: 'site', siteId: 11 }, true],
    [lab, true],
    [{ on: 'name', pattern: 'TM-*' }, true],
    [{ on: 'name', pattern: 'tm' }, false],
    [{ on: 'network', network: '192.0.2.0/28' }, true],
    [{ on: 'network', network: '2001:db8::/32' }, true],
    [{ on: 'network', network: '198.51.100.0/24' }, false],
    [{ on: 'network', network: 'nonsense' }, false],
    [{ on: 'devices', deviceIds: [6, 7] }, true],
    [{ on: 'devices', deviceIds: [6] }, false],
    [fact('service', 'ngin?'), true],
    [fact('package', 'postgresql-*'), true],
    [fact('port', '443'), true],
    [fact('port', '80'), false],
    [fact('disk', '/srv'), true],
    [fact('log', 'auth*'), false],
    [all(server, linux, except(lab)), false],
    [all(server, any(lab, { on: 'tag', tag: 'old' })), true],
    [except({ on: 'role', role: 'database' }), true],
    [any(), false],
    [all(), true],
  ])('%j matches the device: %s', (target, matches) => {
    expect(targets(target, device)).toBe(matches)
  })
  it('about a fact that nobody read matches nothing', () => {
    expect(targets(fact('service', '*'), { ...device, facts: {} })).toBe(false)
    expect(factsAsked([all(server, except(fact('service', 'x'))), fact('port', '1'), lab])).toEqual([
      'ports',
      'services',
    ])
  })
  it('follows De Morgan’s laws', () => {
    const leaf = fc.constantFrom(
      server,
      linux,
      lab,
      ferries,
      { on: 'role' as const, role: 'database' },
      { on: 'tag' as const, tag: 'old' },
    )
    fc.assert(
      fc.property(fc.array(leaf, { minLength: 1, maxLength: 4 }), (of) => {
        expect(targets(except(...of), device)).toBe(!targets(any(...of), device))
        expect(targets(except(all(...of)), device)).toBe(targets(any(...of.map((target) => except(target))), device))
      }),
    )
  })
})

describe('in words', () => {
  it.each<[Target, string]>([
    [{ on: 'everyone' }, 'every device'],
    [server, 'every server'],
    [{ on: 'kind', kind: 'network' }, 'every network device'],
    [{ on: 'role', role: 'web' }, 'every web server'],
    [
      all(server, linux, ferries, except(lab)),
      'every server running Linux at Tidemill Ferries, except those tagged lab',
    ],
    [any(server, { on: 'kind', kind: 'workstation' }), 'every server or workstation'],
    [any(ferries, lab), 'every device at Tidemill Ferries or tagged lab'],
    [any({ on: 'role', role: 'web' }, lab), 'every device that is a web server or tagged lab'],
    [
      all({ on: 'role', role: 'web' }, { on: 'role', role: 'database' }),
      'every web server that is also a database server',
    ],
    [
      all(server, any({ on: 'site', siteId: 11 }, { on: 'network', network: '192.0.2.0/28' }), {
        on: 'name',
        pattern: 'tm-*',
      }),
      'every server at Tidemill Ferries · Harbour or in 192.0.2.0/28 named tm-*',
    ],
    [fact('port', '443'), 'every device listening on port 443'],
    [fact('service', 'nginx'), 'every device with the service nginx'],
    [except(lab, { on: 'role', role: 'web' }), 'every device except those tagged lab and every web server'],
    [{ on: 'devices', deviceIds: [7] }, 'tm-web-1'],
    [{ on: 'client', clientId: 9 }, 'every device at a client that is gone'],
  ])('%j', (target, sentence) => {
    expect(targetSentence(target, names)).toBe(sentence)
  })
})

describe('what is wrong with a target', () => {
  const said = (target: Target) =>
    targetFaults(target, (siteId) => (siteId === 11 ? 1 : 2)).map(
      ({ at, message }) => `${at.join('.') || 'all of it'}: ${message}`,
    )
  it.each<[Target, string[]]>([
    [all(server, linux), []],
    [all(server, { on: 'role', role: '' }), ['1: Choose a role.']],
    [all(server, any()), ['1: No choice is given here yet: add a condition.']],
    [
      all(server, { on: 'kind', kind: 'workstation' }),
      ['1: No device has two of a kind. If either will do, put both into “any of”.'],
    ],
    [
      all(server, all(linux, { on: 'os', osFamily: 'windows' })),
      ['1.1: No device has two of a system. If either will do, put both into “any of”.'],
    ],
    [any(server, { on: 'kind', kind: 'workstation' }), []],
    [
      all({ on: 'site', siteId: 11 }, { on: 'client', clientId: 2 }),
      ['1: The site is another client’s, so no device is at both.'],
    ],
    [all(lab, except(lab)), ['1: What is asked for is left out again here, so nothing is left.']],
    [
      { on: 'network', network: '192.0.2.7/24' },
      [
        'all of it: “192.0.2.7/24” is no address range. Write it in CIDR notation, like 192.0.2.0/24, with the bits of the host at zero.',
      ],
    ],
    [fact('port', '70000'), ['all of it: “70000” is no port: a port is a number from 1 to 65535.']],
    [{ on: 'devices', deviceIds: [] }, ['all of it: Choose at least one device.']],
  ])('%j', (target, faults) => {
    expect(said(target)).toEqual(faults)
  })
  it('a pattern in another notation, which would silently match nothing', () => {
    expect(said({ on: 'name', pattern: '^tm-.*$' })[0]).toContain('is written as a regular expression')
    expect(
      ['backup.*', 'MSSQL$PRODUCTION', '/var/lib/*/', 'C:\\data', 'a(b)'].map((pattern) =>
        said({ on: 'name', pattern }),
      ),
    ).toEqual([[], [], [], [], []])
  })
  it('too deep, and too many', () => {
    const deep = [1, 2, 3, 4, 5, 6].reduce<Target>((inner) => all(inner, server), lab)
    expect(said(deep)).toEqual([expect.stringContaining('5 deep')])
    expect(said(any(...Array.from({ length: 70 }, () => lab)))).toEqual([expect.stringContaining('at most 60 parts')])
  })
  it('says something of whatever is built', () => {
    expect(targetSentence(all(), noNames)).toBe('every device')
  })
})
