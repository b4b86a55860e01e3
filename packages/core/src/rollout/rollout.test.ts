import { describe, expect, it } from 'vitest'
import type { Facts, Service } from '../estate'
import { detectionRules, suggestRoles, standingEffects, type StandingRule } from '.'

const service = (
  name: string,
  state: Service['state'] = 'running',
  start: Service['start'] = 'automatic',
): Service => ({ name, title: '', start, state })
const roles = (facts: Facts) => suggestRoles(facts).map((role) => role.role)

describe('roles from what runs there', () => {
  it.each<[string, Facts, string[]]>([
    ['a web server by its service', { services: [service('nginx')] }, ['web']],
    ['one that is meant to run counts too', { services: [service('apache2', 'stopped')] }, ['web']],
    ['one that neither runs nor is meant to does not', { services: [service('apache2', 'stopped', 'disabled')] }, []],
    ['a package alone may be unused; with its port it is not', { packages: ['nginx'] }, []],
    ['', { packages: ['nginx'], ports: [{ port: 443, protocol: 'tcp' }] }, ['web']],
    ['a port alone may be anything', { ports: [{ port: 443, protocol: 'tcp' }] }, []],
    ['a cluster of PostgreSQL is named with its version', { services: [service('postgresql@15-main')] }, ['database']],
    [
      'a Windows directory server',
      {
        services: [service('NTDS'), service('Spooler')],
        system: {
          osFamily: 'windows',
          osName: 'Windows Server 2022',
          hostName: '',
          cores: 1,
          agentVersion: '',
          serviceManager: null,
        },
      },
      ['directory'],
    ],
    ['every Windows has a spooler', { services: [service('Spooler')] }, []],
    [
      'one that prints for others listens',
      { services: [service('Spooler')], ports: [{ port: 515, protocol: 'tcp' }] },
      ['print'],
    ],
    ['Debian’s mail server for local mail is none', { services: [service('exim4')] }, []],
    ['a desktop', { packages: ['gdm3'] }, ['workstation']],
    [
      '',
      {
        system: {
          osFamily: 'windows',
          osName: 'Windows 11 Pro',
          hostName: '',
          cores: 1,
          agentVersion: '',
          serviceManager: null,
        },
      },
      ['workstation'],
    ],
    [
      'several at once',
      { services: [service('smbd'), service('mariadb'), service('libvirtd')] },
      ['database', 'file', 'virtualisation'],
    ],
  ])('%s', (_, facts, expected) => {
    expect(roles(facts)).toEqual(expected)
  })
  it('come with all the evidence there is, each once', () => {
    const [web] = suggestRoles({
      services: [service('nginx')],
      packages: ['nginx'],
      ports: [{ port: 80, protocol: 'tcp' }],
    })
    expect(web!.evidence).toEqual([
      'the service nginx is running',
      'the package nginx is installed',
      'it listens on tcp port 80',
    ])
  })
  it('need all signs of a way', () => {
    expect(
      suggestRoles({ ports: [{ port: 25, protocol: 'tcp' }] }, [
        {
          role: 'x',
          ways: [
            [
              { on: 'port', ports: [25] },
              { on: 'service', names: ['postfix'] },
            ],
          ],
        },
      ]),
    ).toEqual([])
    expect(suggestRoles({}, [{ role: 'x', ways: [[]] }])).toEqual([])
  })
  it('are known for the ordinary ones', () => {
    expect(detectionRules.map((rule) => rule.role)).toEqual([
      'web',
      'database',
      'directory',
      'print',
      'file',
      'mail',
      'backup',
      'virtualisation',
      'workstation',
    ])
  })
})

describe('a standing rule', () => {
  const rule = (
    id: number,
    more: Partial<Omit<StandingRule, 'when'>> = {},
    when: Partial<StandingRule['when']> = {},
  ): StandingRule => ({
    id,
    name: '',
    roles: [],
    tags: [],
    takeDetected: false,
    notify: [],
    ...more,
    when: { clientId: null, siteId: null, kind: null, osFamily: null, namePattern: null, network: null, ...when },
  })
  const newcomer = {
    name: 'qp-files-3',
    clientId: 4,
    siteId: 9,
    kind: 'server',
    osFamily: 'linux',
    addresses: ['192.0.2.7'],
  } as const
  const rulesOf = (...rules: StandingRule[]) => standingEffects(rules, newcomer).rules

  it('is about the newcomers that fit all it names', () => {
    expect(
      rulesOf(
        rule(1),
        rule(2, {}, { clientId: 4, namePattern: 'QP-*', network: '192.0.2.0/28' }),
        rule(3, {}, { clientId: 4, siteId: 8 }),
        rule(4, {}, { osFamily: 'windows' }),
        rule(5, {}, { kind: 'workstation' }),
        rule(6, {}, { namePattern: '*-dc' }),
        rule(7, {}, { network: '198.51.100.0/24' }),
        rule(8, {}, { network: 'nonsense' }),
      ),
    ).toEqual([1, 2])
  })
  it('adds to what the others give, in whatever order they come', () => {
    const rules = [
      rule(1, { roles: ['file'], tags: ['new'], notify: [7] }),
      rule(2, { roles: ['backup', 'file'], takeDetected: true, notify: [7, 8] }),
    ]
    const expected = { roles: ['backup', 'file'], tags: ['new'], takeDetected: true, notify: [7, 8], rules: [1, 2] }
    expect(standingEffects(rules, newcomer)).toEqual(expected)
    expect(standingEffects([...rules].reverse(), newcomer)).toEqual(expected)
    expect(standingEffects([], newcomer)).toEqual({ roles: [], tags: [], takeDetected: false, notify: [], rules: [] })
  })
})
