import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Facts, Service } from '../estate'
import { contains, detectionRules, inNetwork, placeByAddress, readNetwork, suggestRoles, welcome, type StandingRule } from '.'

const service = (name: string, state: Service['state'] = 'running', start: Service['start'] = 'automatic'): Service => ({ name, title: '', start, state })
const roles = (facts: Facts) => suggestRoles(facts).map((one) => one.role)

describe('a network', () => {
  it('is read in CIDR notation, and a slip is seen', () => {
    expect([...'0 8 24 32'.split(' ').map((bits) => readNetwork(`10.0.0.0/${bits}`)?.bits)]).toEqual([undefined, 8, 24, 32])
    expect(['10.0.0.7/24', '10.0.0.0', '10.0.0.0/33', 'somewhere/8', '', '2001:db8::1/64'].map(readNetwork)).toEqual(Array(6).fill(null))
    // RFC 4291, section 2.3: three ways to write one prefix.
    expect(['2001:0DB8:0000:CD30:0000:0000:0000:0000/60', '2001:0DB8::CD30:0:0:0:0/60', '2001:0DB8:0:CD30::/60'].map((one) => readNetwork(one)?.bits)).toEqual([60, 60, 60])
  })
  it('holds what the bits say: as counting in whole numbers does', () => {
    fc.assert(fc.property(fc.nat(0xffffffff), fc.nat(0xffffffff), fc.integer({ min: 1, max: 32 }), (a, b, bits) => {
      const mask = bits === 0 ? 0 : (0xffffffff << (32 - bits)) >>> 0
      const text = (n: number) => [24, 16, 8, 0].map((shift) => (n >>> shift) & 255).join('.')
      const network = readNetwork(`${text((a & mask) >>> 0)}/${bits}`)!
      expect(inNetwork(text(b), network)).toBe(((a & mask) >>> 0) === ((b & mask) >>> 0))
    }))
  })
  it('lies within another or not', () => {
    const [wide, narrow, beside] = ['192.0.2.0/24', '192.0.2.128/25', '198.51.100.0/24'].map((one) => readNetwork(one)!)
    expect([contains(wide!, narrow!), contains(narrow!, wide!), contains(wide!, beside!), contains(wide!, wide!)]).toEqual([true, false, false, true])
    expect(inNetwork('2001:db8::1', wide!)).toBe(false)
    expect(inNetwork('no address', wide!)).toBe(false)
  })
})

describe('placing a device by its address', () => {
  const sites = [{ siteId: 1, networks: ['192.0.2.0/24'] }, { siteId: 2, networks: ['192.0.2.64/26', '2001:db8:5::/48'] }, { siteId: 3, networks: ['198.51.100.0/24'] }, { siteId: 4, networks: ['198.51.100.0/24', 'nonsense'] }]
  it('takes the narrowest network', () => {
    expect([placeByAddress(['192.0.2.5'], sites), placeByAddress(['192.0.2.70'], sites), placeByAddress(['203.0.113.9', '2001:db8:5::7'], sites)]).toEqual([{ siteId: 1 }, { siteId: 2 }, { siteId: 2 }])
  })
  it('says why it cannot', () => {
    expect(placeByAddress(['203.0.113.9'], sites)).toEqual({ siteId: null, reason: 'No site declares a network that holds 203.0.113.9.' })
    expect(placeByAddress([], sites)).toMatchObject({ siteId: null, reason: expect.stringContaining('did not tell') as string })
    expect(placeByAddress(['198.51.100.9'], sites)).toMatchObject({ siteId: null, reason: expect.stringContaining('More than one site declares 198.51.100.0/24') as string })
  })
})

describe('roles from what runs there', () => {
  it.each<[string, Facts, string[]]>([
    ['a web server by its service', { services: [service('nginx')] }, ['web']],
    ['one that is meant to run counts too', { services: [service('apache2', 'stopped')] }, ['web']],
    ['one that neither runs nor is meant to does not', { services: [service('apache2', 'stopped', 'disabled')] }, []],
    ['a package alone may be unused; with its port it is not', { packages: ['nginx'] }, []],
    ['', { packages: ['nginx'], ports: [{ port: 443, protocol: 'tcp' }] }, ['web']],
    ['a port alone may be anything', { ports: [{ port: 443, protocol: 'tcp' }] }, []],
    ['a cluster of PostgreSQL is named with its version', { services: [service('postgresql@15-main')] }, ['database']],
    ['a Windows directory server', { services: [service('NTDS'), service('Spooler')], system: { osFamily: 'windows', osName: 'Windows Server 2022', hostName: '', cores: 1, agentVersion: '', serviceManager: null } }, ['directory']],
    ['every Windows has a spooler', { services: [service('Spooler')] }, []],
    ['one that prints for others listens', { services: [service('Spooler')], ports: [{ port: 515, protocol: 'tcp' }] }, ['print']],
    ['Debian’s mail server for local mail is none', { services: [service('exim4')] }, []],
    ['a desktop', { packages: ['gdm3'] }, ['workstation']],
    ['', { system: { osFamily: 'windows', osName: 'Windows 11 Pro', hostName: '', cores: 1, agentVersion: '', serviceManager: null } }, ['workstation']],
    ['several at once', { services: [service('smbd'), service('mariadb'), service('libvirtd')] }, ['database', 'file', 'virtualisation']],
  ])('%s', (_, facts, expected) => {
    expect(roles(facts)).toEqual(expected)
  })
  it('come with all the evidence there is, each once', () => {
    const [web] = suggestRoles({ services: [service('nginx')], packages: ['nginx'], ports: [{ port: 80, protocol: 'tcp' }] })
    expect(web!.evidence).toEqual(['the service nginx is running', 'the package nginx is installed', 'it listens on tcp port 80'])
  })
  it('need all signs of a way', () => {
    expect(suggestRoles({ ports: [{ port: 25, protocol: 'tcp' }] }, [{ role: 'x', ways: [[{ on: 'port', ports: [25] }, { on: 'service', names: ['postfix'] }]] }])).toEqual([])
    expect(suggestRoles({}, [{ role: 'x', ways: [[]] }])).toEqual([])
  })
  it('are known for the ordinary ones', () => {
    expect(detectionRules.map((one) => one.role)).toEqual(['web', 'database', 'directory', 'print', 'file', 'mail', 'backup', 'virtualisation', 'workstation'])
  })
})

describe('a standing rule', () => {
  const rule = (id: number, more: Partial<Omit<StandingRule, 'when'>> = {}, when: Partial<StandingRule['when']> = {}): StandingRule =>
    ({ id, name: '', roles: [], tags: [], takeDetected: false, tell: [], ...more, when: { clientId: null, siteId: null, kind: null, osFamily: null, namePattern: null, network: null, ...when } })
  const newcomer = { name: 'qp-files-3', clientId: 4, siteId: 9, kind: 'server', osFamily: 'linux', addresses: ['192.0.2.7'] } as const
  const rulesOf = (...rules: StandingRule[]) => welcome(rules, newcomer).rules

  it('is about the newcomers that fit all it names', () => {
    expect(rulesOf(rule(1), rule(2, {}, { clientId: 4, namePattern: 'QP-*', network: '192.0.2.0/28' }), rule(3, {}, { clientId: 4, siteId: 8 }), rule(4, {}, { osFamily: 'windows' }), rule(5, {}, { kind: 'workstation' }), rule(6, {}, { namePattern: '*-dc' }),
      rule(7, {}, { network: '198.51.100.0/24' }), rule(8, {}, { network: 'nonsense' }))).toEqual([1, 2])
  })
  it('adds to what the others give, in whatever order they come', () => {
    const rules = [rule(1, { roles: ['file'], tags: ['new'], tell: [7] }), rule(2, { roles: ['backup', 'file'], takeDetected: true, tell: [7, 8] })]
    const expected = { roles: ['backup', 'file'], tags: ['new'], takeDetected: true, tell: [7, 8], rules: [1, 2] }
    expect(welcome(rules, newcomer)).toEqual(expected)
    expect(welcome([...rules].reverse(), newcomer)).toEqual(expected)
    expect(welcome([], newcomer)).toEqual({ roles: [], tags: [], takeDetected: false, tell: [], rules: [] })
  })
})
