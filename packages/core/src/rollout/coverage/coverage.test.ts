import { describe, expect, it } from 'vitest'
import type { DeviceTraits, Facts } from '../../estate'
import { resolveRoster, libraryTemplates, type Policy } from '../../policy'
import { sentenceText, watchKind } from '../../watch'
import { collectingFor } from './collecting'
import { coverageGaps, hiddenNeeds, remedyFor, roleNeeds, withRemedy } from './coverage'

const device: DeviceTraits = {
  id: 1,
  name: 'tm-web-1',
  osName: 'Debian 12',
  addresses: [],
  facts: {},
  clientId: 1,
  siteId: 1,
  kind: 'server',
  osFamily: 'linux',
  roles: ['web'],
  tags: [],
}
const policyOf = (...names: string[]): Policy => ({
  templates: libraryTemplates.map((template, i) => ({ ...template, id: i + 1, revision: 1, includes: [] })),
  assignments: libraryTemplates.flatMap((template, i) =>
    names.includes(template.name)
      ? [
          {
            id: i + 1,
            templateId: i + 1,
            target: { on: 'everyone' as const },
            rank: 100,
            values: {},
            dormant: false,
            reason: '',
            reviewAt: null,
            revision: 1,
            createdAt: 0,
          },
        ]
      : [],
  ),
  exceptions: [],
})
const nginx = (start: 'automatic' | 'manual' = 'automatic') => ({
  name: 'nginx',
  title: '',
  start,
  state: 'running' as const,
})
const gaps = (facts: Facts, policy: Policy, traits = device) =>
  coverageGaps(traits, facts, resolveRoster(traits, policy)).map((gap) => [
    gap.instance,
    gap.uncollected,
    gap.unwatched,
  ])

describe('what roles need', () => {
  it('a service that runs and that no watch looks at is a gap', () => {
    expect(gaps({ services: [nginx()] }, policyOf())).toEqual([['nginx', false, true]])
    expect(gaps({ services: [nginx()] }, policyOf('Web server'))).toEqual([])
  })
  it('one that starts by itself is looked at by a watch over all that should be running, one that does not is not', () => {
    expect(gaps({ services: [nginx()] }, policyOf('Base server'))).toEqual([])
    expect(gaps({ services: [nginx('manual')] }, policyOf('Base server'))).toEqual([['nginx', false, true]])
  })
  it('what an exception leaves out on purpose is no gap; what is dormant is one', () => {
    const policy = policyOf('Web server')
    expect(
      gaps(
        { services: [nginx()] },
        {
          ...policy,
          exceptions: [
            {
              id: 9,
              target: { on: 'role', role: 'web' },
              watch: 'services.web',
              values: {},
              leftOut: true,
              reason: 'replaced',
              ownerId: null,
              reviewAt: null,
              revision: 1,
              createdAt: 0,
            },
          ],
        },
      ),
    ).toEqual([])
    expect(
      gaps(
        { services: [nginx()] },
        { ...policy, assignments: policy.assignments.map((assignment) => ({ ...assignment, dormant: true })) },
      ),
    ).toEqual([['nginx', false, true]])
  })
  it('nothing that is not there, is another role’s, or is for the other OS family is missed', () => {
    expect(gaps({ services: [] }, policyOf())).toEqual([])
    expect(gaps({ services: [nginx()] }, policyOf(), { ...device, roles: ['file'] })).toEqual([])
    expect(
      gaps({ logs: [{ name: 'Directory Service', collected: false }] }, policyOf(), {
        ...device,
        roles: ['directory'],
      }),
    ).toEqual([])
  })
  it('a log that is there and not read is not collected; read, it still wants a watch on it', () => {
    expect(
      gaps(
        {
          logs: [
            { name: 'nginx/error.log', collected: false },
            { name: 'syslog', collected: true },
          ],
        },
        policyOf('Base server'),
      ),
    ).toEqual([['nginx/error.log', true, true]])
    expect(gaps({ logs: [{ name: 'nginx/error.log', collected: true }] }, policyOf('Base server'))).toEqual([
      ['nginx/error.log', false, true],
    ])
  })
  it('a collector that is not installed is missed only where the agent could take one', () => {
    const system = {
      osFamily: 'linux' as const,
      osName: 'Debian 12',
      hostName: 'a',
      cores: 1,
      agentVersion: '1',
      serviceManager: null,
    }
    expect(gaps({ system }, policyOf())).toEqual([])
    expect(gaps({ system: { ...system, optional: [] } }, policyOf())).toEqual([['certificates', true, true]])
    expect(gaps({ system: { ...system, optional: ['certificates'] } }, policyOf())).toEqual([
      ['certificates', false, true],
    ])
  })
})

describe('the remedy', () => {
  const target = { on: 'devices' as const, deviceIds: [1] }
  const everything: Facts = {
    services: [nginx('manual')],
    logs: [{ name: 'nginx/error.log', collected: false }],
    system: {
      osFamily: 'linux',
      osName: 'Debian 12',
      hostName: 'a',
      cores: 1,
      agentVersion: '1',
      serviceManager: null,
      optional: [],
    },
  }
  it('assigns a template that looks at the thing by name, where there is one', () => {
    const policy = policyOf('Base server')
    const [gap] = coverageGaps(device, { services: [nginx('manual')] }, resolveRoster(device, policy))
    expect(remedyFor(gap!, target, policy, 'web server').template).toMatchObject({ name: 'Web server', add: null })
  })
  it('closes every gap of the role, and adds nothing a second time', () => {
    let policy = policyOf('Base server')
    let facts = everything
    for (let round = 0; round < 4; round++) {
      const [gap] = coverageGaps(device, facts, resolveRoster(device, policy))
      if (!gap) break
      const remedy = remedyFor(gap, target, policy, 'web server')
      policy = withRemedy(policy, remedy, round)
      // Numbers as the database would give them.
      policy = {
        ...policy,
        templates: policy.templates.map((template) => (template.id > 1000 ? { ...template, id: 50 } : template)),
        assignments: policy.assignments.map((assignment) =>
          assignment.id > 1000
            ? { ...assignment, id: 60 + round, templateId: assignment.templateId > 1000 ? 50 : assignment.templateId }
            : assignment,
        ),
      }
      const collecting = collectingFor(device, remedy.collect ? [{ id: 1, target, ...remedy.collect }] : [], [])
      facts = {
        ...facts,
        logs: facts.logs!.map((log) => ({ ...log, collected: log.collected || collecting.logs.includes(log.name) })),
        system: { ...facts.system!, optional: [...facts.system!.optional!, ...collecting.collectors] },
      }
    }
    expect(coverageGaps(device, facts, resolveRoster(device, policy))).toEqual([])
    expect(policy.templates.filter((template) => template.name === 'What a web server needs')).toHaveLength(1)
    const roster = resolveRoster(device, policy)
    expect(
      roster
        .filter((watch) => watch.key.startsWith('need.web.'))
        .map((watch) => sentenceText(watchKind(watch.kind).sentence(watch.values))),
    ).toEqual([
      'On every port with a certificate, when that ends within 21 days, raise warning; within 7 days, critical; seen for 10 min; clear when it is renewed.',
      'In the nginx/error.log log, when error or worse from any source appears 10 times within 10 min, raise warning; clear after 2 h with no new entry.',
    ])
  })
  it('of every need is a watch that looks at what was missing', () => {
    for (const need of roleNeeds) {
      const instance = need.of.on === 'collector' ? need.of.collector : need.of.names[0]!.replaceAll('*', 'x')
      const { template } = remedyFor(
        { need: need.id, instance, uncollected: true, unwatched: true },
        target,
        { templates: [] },
        'x',
      )
      expect(template!.add!.key).toMatch(/^[a-z0-9][a-z0-9.-]{0,60}$/)
      const traits = { ...device, roles: [need.role], osFamily: need.osFamily ?? device.osFamily }
      const facts: Facts =
        need.of.on === 'service'
          ? { services: [{ ...nginx('manual'), name: instance }] }
          : need.of.on === 'log'
            ? { logs: [{ name: instance, collected: true }] }
            : { system: { ...everything.system!, optional: ['certificates'] } }
      const before: Policy = { templates: [], assignments: [], exceptions: [] }
      const of = (policy: Policy) =>
        coverageGaps(traits, facts, resolveRoster(traits, policy)).filter((gap) => gap.need === need.id)
      expect(of(before)).toHaveLength(1)
      expect(of(withRemedy(before, { target, collect: null, template }, 0))).toEqual([])
    }
  })
})

describe('what is collected beyond the ordinary', () => {
  it('adds up over all rules that reach the device, whatever their order', () => {
    const rules = [
      {
        id: 1,
        target: { on: 'role' as const, role: 'web' },
        logs: ['nginx/*.log'],
        collectors: ['certificates' as const],
      },
      { id: 2, target: { on: 'client' as const, clientId: 1 }, logs: ['app.log', 'nginx/*.log'], collectors: [] },
      { id: 3, target: { on: 'client' as const, clientId: 2 }, logs: ['other.log'], collectors: [] },
    ]
    expect(collectingFor(device, rules, [])).toEqual({ logs: ['app.log', 'nginx/*.log'], collectors: ['certificates'] })
    expect(collectingFor(device, rules.toReversed(), [])).toEqual(collectingFor(device, rules, []))
  })
})

describe('patterns that hide what a role needs', () => {
  const services = ['nginx', 'postgresql@15-main', 'cron'].map((name) => ({ name }))
  it('are told of a device by what it has and what it is for', () => {
    const device = { roles: ['web', 'database'], services }
    expect(hiddenNeeds(['*n*', '!cron'], device)).toEqual([
      { role: 'web', service: 'nginx' },
      { role: 'database', service: 'postgresql@15-main' },
    ])
    expect(hiddenNeeds(['*sql*'], { roles: ['web'], services })).toEqual([])
  })
  it('and of any device by the ordinary names', () => {
    expect(hiddenNeeds(['*sql*'], null).map(({ service }) => service)).toEqual(['postgresql', 'mysql', 'MSSQL'])
    expect(hiddenNeeds(['*update*'], null)).toEqual([])
  })
})
