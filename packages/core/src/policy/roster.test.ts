import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { targets, type DeviceTraits, type Target } from '../estate'
import type { ParameterValue } from '../watch'
import { compareRosters, rosterChanges } from './change'
import { webServer } from '../testing/device'
import { compilePolicy, resolveRoster } from './compile'
import { devicesFollowing, exceptionUses, pullUp } from './exceptionReview'
import type { Policy } from './roster'
import type { Assignment, Exception, Template } from './template'

const device = webServer
const template = (
  id: number,
  values: Template['watches'][number]['values'],
  more: Partial<Template['watches'][number]> = {},
  includes: number[] = [],
): Template => ({
  id,
  name: `t${id}`,
  description: '',
  revision: 3,
  includes,
  watches: [{ key: 'disk', kind: 'disk-space', name: 'Disk', why: '', osFamilies: [], values, ...more }],
})
const assign = (id: number, templateId: number, target: Target, more: Partial<Assignment> = {}): Assignment => ({
  id,
  templateId,
  target,
  rank: 100,
  values: {},
  dormant: false,
  reason: '',
  reviewAt: null,
  revision: 1,
  createdAt: id,
  ...more,
})
const except = (id: number, target: Target, values: Exception['values'], more: Partial<Exception> = {}): Exception => ({
  id,
  target,
  watch: 'disk',
  values,
  leftOut: false,
  reason: 'so',
  ownerId: null,
  reviewAt: null,
  revision: 1,
  createdAt: id,
  ...more,
})
const percent = (policy: Policy, of = device) => resolveRoster(of, policy)[0]?.values['warning.percent']
const t = (share: number) => ({ 'warning.percent': share })

const everyone: Target = { on: 'everyone' }
const kind: Target = { on: 'kind', kind: 'server' }
const role: Target = { on: 'role', role: 'web' }
const client: Target = { on: 'client', clientId: 1 }
const site: Target = { on: 'site', siteId: 11 }
const network: Target = { on: 'network', network: '192.0.2.0/28' }
const tag: Target = { on: 'tag', tag: 'lab' }
const named: Target = { on: 'name', pattern: 'tm-web-*' }
const nginx: Target = { on: 'fact', fact: 'service', pattern: 'nginx' }
const chosen: Target = { on: 'devices', deviceIds: [7] }

/** Every row: two assignments of the same watch, one saying 10 % and one 20 %, and which of them this device has. */
describe('of two assignments', () => {
  const ten = (target: Target, more: Partial<Assignment> = {}): [Target, Partial<Assignment>] => [target, more]
  it.each<[string, [Target, Partial<Assignment>], [Target, Partial<Assignment>], number]>([
    ['the one for its kind wins over the one for everyone', ten(kind), ten(everyone), 10],
    ['its role over its kind', ten(role), ten(kind), 10],
    ['its client over its role', ten(client), ten(role), 10],
    ['its site over its client', ten(site), ten(client), 10],
    ['its tag over its site', ten(tag), ten(site), 10],
    ['the device itself over its tag', ten(chosen), ten(tag), 10],
    ['what runs on it is worth as much as a role: the newer wins', ten(nginx), ten(role), 20],
    ['a network is worth as much as a site: the newer wins', ten(network), ten(site), 20],
    ['a name is worth as much as a tag: the newer wins', ten(named), ten(tag), 20],
    [
      'several conditions are worth as much as the most specific of them',
      ten({ on: 'all', of: [kind, tag] }),
      ten(site),
      10,
    ],
    [
      'a choice of conditions is worth as much as the least specific of them',
      ten({ on: 'any', of: [kind, tag] }),
      ten(site),
      20,
    ],
    [
      'what is left out makes nothing more specific',
      ten({ on: 'all', of: [kind, { on: 'except', of: [{ on: 'tag', tag: 'old' }] }] }),
      ten(role),
      20,
    ],
    ['among equals the lower rank', ten(role, { rank: 10 }), ten(role, { rank: 20 }), 10],
    ['among equals of the same rank the newer', ten(role, { createdAt: 50 }), ten(role, { createdAt: 40 }), 10],
    ['rank counts only among equals', ten(everyone, { rank: 1 }), ten(role, { rank: 900 }), 20],
    ['one that is dormant never wins over one that is awake', ten(chosen, { dormant: true }), ten(everyone), 20],
    ['one that does not reach the device has no voice', ten({ on: 'client', clientId: 2 }), ten(everyone), 20],
    [
      'the assignment’s own value counts instead of its template’s',
      ten(role, { values: { disk: t(0.2) } }),
      ten(everyone),
      20,
    ],
  ])('%s', (_, [a, aMore], [b, bMore], wins) => {
    expect(
      percent({
        templates: [template(1, t(0.1)), template(2, t(0.2))],
        assignments: [assign(1, 1, a, aMore), assign(2, 2, b, bMore)],
        exceptions: [],
      }),
    ).toBe(wins / 100)
  })
})

describe('an exception', () => {
  it('on the device stands over everything', () => {
    expect(
      percent({
        templates: [template(1, t(0.1))],
        assignments: [assign(1, 1, chosen, { values: { disk: t(0.3) } })],
        exceptions: [except(1, chosen, t(0.4))],
      }),
    ).toBe(0.4)
  })
  it('for a client does not stand over the value for a tag, but over that for the client', () => {
    expect(
      percent({
        templates: [template(1, t(0.1))],
        assignments: [assign(1, 1, tag)],
        exceptions: [except(1, client, t(0.4))],
      }),
    ).toBe(0.1)
    expect(
      percent({
        templates: [template(1, t(0.1))],
        assignments: [assign(1, 1, client)],
        exceptions: [except(1, client, t(0.4))],
      }),
    ).toBe(0.4)
  })
  it('leaves the watch out, with the reason', () => {
    const [watch] = resolveRoster(device, {
      templates: [template(1, {})],
      assignments: [assign(1, 1, everyone)],
      exceptions: [except(4, chosen, {}, { leftOut: true, reason: 'scratch disk' })],
    })
    expect(watch).toMatchObject({ standing: 'left out', leftOutBy: { name: 'scratch disk' } })
  })
})

describe('a template that includes another', () => {
  const templates = [
    template(1, t(0.1), {}, [2]),
    template(2, { 'warning.percent': 0.2, 'warning.bytes': 5e9 }),
    template(3, { hold: 60_000 }, { key: 'other' }, [1]),
  ]
  it('brings its watches too, and its own word counts', () => {
    const [disk] = resolveRoster(device, { templates, assignments: [assign(1, 1, role)], exceptions: [] })
    expect(disk!.values).toMatchObject({ 'warning.percent': 0.1, 'warning.bytes': 5e9 })
    expect(disk!.chains['warning.percent']!.map((link) => link.source.name)).toEqual(['t1', 't2', 'Free disk space'])
    expect(
      resolveRoster(device, { templates, assignments: [assign(1, 3, role)], exceptions: [] }).map((watch) => watch.key),
    ).toEqual(['disk', 'other'])
  })
  it('passes the values of its assignment on, once', () => {
    const [disk] = resolveRoster(device, {
      templates,
      assignments: [assign(1, 1, role, { values: { disk: t(0.3) } })],
      exceptions: [],
    })
    expect(disk!.chains['warning.percent']!.map((link) => link.value)).toEqual([0.3, 0.1, 0.2, 0.1])
  })
  it('in a ring ends where it closes', () => {
    const ring = [template(1, t(0.1), {}, [2]), template(2, t(0.2), {}, [1])]
    expect(percent({ templates: ring, assignments: [assign(1, 2, role)], exceptions: [] })).toBe(0.2)
  })
})

describe('a roster', () => {
  it('takes parameter by parameter: what the specific one leaves open comes from the general one', () => {
    const policy = {
      templates: [template(1, t(0.1)), template(2, { 'warning.bytes': 5e9, 'warning.percent': 0.2 })],
      assignments: [assign(1, 1, role), assign(2, 2, everyone)],
      exceptions: [],
    }
    expect(resolveRoster(device, policy)[0]!.values).toMatchObject({
      'warning.percent': 0.1,
      'warning.bytes': 5e9,
      hold: 900_000,
    })
  })
  it('leaves out watches for another OS family', () => {
    expect(
      resolveRoster(device, {
        templates: [template(1, {}, { osFamilies: ['windows'] })],
        assignments: [assign(1, 1, everyone)],
        exceptions: [],
      }),
    ).toEqual([])
  })
  it('marks what only a dormant assignment brings', () => {
    expect(
      resolveRoster(device, {
        templates: [template(1, t(0.1))],
        assignments: [assign(1, 1, chosen, { dormant: true })],
        exceptions: [],
      })[0],
    ).toMatchObject({ standing: 'dormant', values: t(0.1) })
  })
  it('carries for each value what won and what it beat', () => {
    const [watch] = resolveRoster(device, {
      templates: [template(1, t(0.1))],
      assignments: [assign(1, 1, role, { values: { disk: t(0.3) } })],
      exceptions: [except(1, chosen, t(0.4))],
    })
    expect(watch!.chains['warning.percent']!.map((link) => `${link.value as number} ${link.source.from}`)).toEqual([
      '0.4 exception',
      '0.3 assignment',
      '0.1 template',
      '0.1 default',
    ])
  })
})

describe('a change', () => {
  const before = { templates: [template(1, t(0.1))], assignments: [assign(1, 1, everyone)], exceptions: [] }
  it('adds, removes and alters watches', () => {
    const after = { ...before, templates: [template(1, t(0.2))] }
    expect(compareRosters(resolveRoster(device, before), resolveRoster(device, after))).toMatchObject([
      {
        key: 'disk',
        name: 'Disk',
        change: 'altered',
        parameters: ['warning.percent'],
        before: { values: t(0.1) },
        after: { values: t(0.2) },
      },
    ])
    expect(compareRosters(resolveRoster(device, before), [])[0]!.change).toBe('removed')
    expect(compareRosters([], resolveRoster(device, before))[0]!.change).toBe('added')
  })
  it('of what one watch is left out of is a removal', () => {
    expect(
      compareRosters(
        resolveRoster(device, before),
        resolveRoster(device, { ...before, exceptions: [except(1, chosen, {}, { leftOut: true })] }),
      )[0]!.change,
    ).toBe('removed')
  })
})

const anyTarget: fc.Arbitrary<Target> = fc.letrec<{ target: Target }>((tie) => ({
  target: fc.oneof(
    { maxDepth: 3 },
    fc.constantFrom<Target>(
      everyone,
      kind,
      role,
      client,
      site,
      tag,
      chosen,
      named,
      network,
      nginx,
      { on: 'role', role: 'database' },
      { on: 'client', clientId: 2 },
      { on: 'tag', tag: 'old' },
      { on: 'devices', deviceIds: [8, 9] },
    ),
    fc.record({
      on: fc.constantFrom<'all' | 'any' | 'except'>('all', 'any', 'except'),
      of: fc.array(tie('target'), { minLength: 1, maxLength: 3 }),
    }),
  ),
})).target
const anyPolicy: fc.Arbitrary<Policy> = fc
  .record({
    templates: fc.array(
      fc.record({
        share: fc.integer({ min: 1, max: 90 }),
        os: fc.constantFrom<[] | ['linux'] | ['windows']>([], ['linux'], ['windows']),
        key: fc.constantFrom('disk', 'other'),
        includes: fc.array(fc.integer({ min: 1, max: 5 }), { maxLength: 2 }),
      }),
      { minLength: 5, maxLength: 5 },
    ),
    assignments: fc.array(
      fc.record({
        templateId: fc.integer({ min: 1, max: 5 }),
        target: anyTarget,
        own: fc.option(fc.integer({ min: 1, max: 90 })),
        rank: fc.integer({ min: 1, max: 3 }),
        createdAt: fc.integer({ min: 1, max: 3 }),
        dormant: fc.boolean(),
      }),
      { minLength: 1, maxLength: 8 },
    ),
    exceptions: fc.array(
      fc.record({
        target: anyTarget,
        share: fc.integer({ min: 1, max: 90 }),
        createdAt: fc.integer({ min: 1, max: 3 }),
        leftOut: fc.boolean(),
      }),
      { maxLength: 4 },
    ),
  })
  .map(({ templates, assignments, exceptions }) => ({
    templates: templates.map(({ share, os, key, includes }, i) =>
      template(i + 1, t(share / 100), { osFamilies: os, key }, includes),
    ),
    assignments: assignments.map(({ own, ...rest }, i) =>
      assign(i + 1, rest.templateId, rest.target, { ...rest, values: own === null ? {} : { disk: t(own / 100) } }),
    ),
    exceptions: exceptions.map(({ share, ...rest }, i) => except(i + 1, rest.target, t(share / 100), rest)),
  }))
const others: DeviceTraits[] = [
  device,
  { ...device, id: 8, name: 'tm-db-1', roles: ['database'], tags: [], addresses: ['198.51.100.4'], facts: {} },
  {
    ...device,
    id: 9,
    name: 'bb-till-1',
    clientId: 2,
    siteId: 21,
    kind: 'workstation',
    osFamily: 'windows',
    roles: [],
    tags: ['old', 'lab'],
  },
]

/** The rule of the design read aloud for one parameter of the watch `disk`, without any regard for speed. */
function read(policy: Policy, of: DeviceTraits): ParameterValue | undefined {
  const worth = (target: Target): number => {
    if (target.on === 'all') return Math.max(...target.of.map(worth))
    if (target.on === 'any') return Math.min(...target.of.map(worth))
    return {
      except: 0,
      everyone: 0,
      kind: 1,
      os: 1,
      osName: 1,
      role: 2,
      fact: 2,
      client: 3,
      site: 4,
      network: 4,
      tag: 5,
      name: 5,
      devices: 6,
    }[target.on]
  }
  const voices: { value: ParameterValue; order: number[] }[] = []
  const brings: boolean[] = []
  for (const assignment of policy.assignments.filter((each) => targets(each.target, of))) {
    const all = [assignment.templateId]
    for (const id of all) for (const next of policy.templates[id - 1]!.includes) if (!all.includes(next)) all.push(next)
    all.forEach((id, depth) => {
      for (const spec of policy.templates[id - 1]!.watches) {
        if (spec.key !== 'disk' || (spec.osFamilies.length && !spec.osFamilies.includes(of.osFamily!))) continue
        brings.push(!assignment.dormant)
        const order = (layer: number) => [
          assignment.dormant ? 1 : 0,
          -worth(assignment.target),
          -layer,
          assignment.rank,
          -assignment.createdAt,
          -assignment.id,
          depth,
        ]
        voices.push({ value: spec.values['warning.percent']!, order: order(0) })
        if (assignment.values.disk) voices.push({ value: assignment.values.disk['warning.percent']!, order: order(1) })
      }
    })
  }
  const exceptions = policy.exceptions.filter((each) => targets(each.target, of))
  if (!brings.length || (!exceptions.some((exception) => exception.leftOut) && !brings.includes(true))) return undefined
  if (exceptions.some((exception) => exception.leftOut)) return undefined
  for (const exception of exceptions)
    voices.push({
      value: exception.values['warning.percent']!,
      order: [
        0,
        -worth(exception.target) - (worth(exception.target) === 6 ? 1 : 0),
        -2,
        0,
        -exception.createdAt,
        -exception.id,
        0,
      ],
    })
  const [first] = voices.sort((a, b) => a.order.map((each, i) => each - b.order[i]!).find((each) => each !== 0) ?? 0)
  return first!.value
}

describe('for any policy', () => {
  it('the watch and its value are those that the rule says, read aloud', () => {
    fc.assert(
      fc.property(anyPolicy, (policy) => {
        const compiled = compilePolicy(policy)
        for (const of of others) {
          const watch = compiled
            .roster(of)
            .find((candidate) => candidate.key === 'disk' && candidate.standing === 'active')
          expect(watch?.values['warning.percent']).toBe(read(policy, of))
        }
      }),
      { numRuns: 200 },
    )
  }, 180_000)
  it('rosters do not depend on the order of the input', () => {
    fc.assert(
      fc.property(anyPolicy, fc.nat(), (policy, turn) => {
        const rotate = <T>(list: readonly T[]) =>
          [...list.slice(turn % (list.length || 1)), ...list.slice(0, turn % (list.length || 1))].reverse()
        const turned = {
          templates: rotate(policy.templates),
          assignments: rotate(policy.assignments),
          exceptions: rotate(policy.exceptions),
        }
        for (const of of others) expect(resolveRoster(of, turned)).toEqual(resolveRoster(of, policy))
      }),
    )
  })
  it('a device in company has the roster that it has alone', () => {
    fc.assert(
      fc.property(anyPolicy, (policy) => {
        const compiled = compilePolicy(policy)
        for (const of of [...others, ...others]) expect(compiled.roster(of)).toEqual(resolveRoster(of, policy))
      }),
    )
  })
  it('what a change does not touch stays as it was: looking at those it can touch is looking at all', () => {
    fc.assert(
      fc.property(anyPolicy, anyPolicy, (before, after) => {
        // Some of it the same, so that there is something not to look at.
        const mixed = {
          templates: before.templates.map((either, i) => (i % 2 ? either : after.templates[i]!)),
          assignments: [
            ...before.assignments.slice(1),
            ...after.assignments.slice(0, 1).map((assignment) => ({ ...assignment, id: 90 })),
          ],
          exceptions: before.exceptions,
        }
        const all = others.flatMap((of) => {
          const changes = compareRosters(resolveRoster(of, before), resolveRoster(of, mixed))
          return changes.length ? [[of.id, changes.map((change) => `${change.key} ${change.change}`)]] : []
        })
        expect(
          rosterChanges(others, compilePolicy(before), mixed).map((change) => [
            change.device.id,
            change.changes.map((each) => `${each.key} ${each.change}`),
          ]),
        ).toEqual(all)
      }),
    )
  })
})

describe('patterns that leave something out', () => {
  const leaves = (...mounts: string[]) => ({ except: mounts })
  const left = (policy: Policy) => resolveRoster(device, policy)[0]!.values.except
  const templates = [template(1, leaves('/mnt/*', '/backup'))]
  it('are those of everybody who speaks, the most specific first', () => {
    const policy = {
      templates,
      assignments: [assign(1, 1, role, { values: { disk: leaves('/media/*') } })],
      exceptions: [except(1, client, leaves('/archive')), except(2, chosen, leaves('/scratch', '/archive'))],
    }
    expect(left(policy)).toEqual(['/scratch', '/archive', '/media/*', '/mnt/*', '/backup'])
  })
  it('go on following the template when it changes', () => {
    const exceptions = [except(1, chosen, leaves('/scratch'))]
    const changed = [template(1, leaves('/mnt/*', '/new'))]
    expect(left({ templates: changed, assignments: [assign(1, 1, role)], exceptions })).toEqual([
      '/scratch',
      '/mnt/*',
      '/new',
    ])
  })
  it('of a pattern and its opposite, what the more specific one says counts', () => {
    const policy = (more: Exception[]) => ({ templates, assignments: [assign(1, 1, role)], exceptions: more })
    const back = except(1, client, leaves('!/backup'))
    expect(left(policy([back]))).toEqual(['!/backup', '/mnt/*'])
    expect(left(policy([back, except(2, chosen, leaves('/backup'))]))).toEqual(['/backup', '/mnt/*'])
  })
  it('of a paused assignment do not count', () => {
    const paused = assign(2, 2, role, { dormant: true })
    const policy = {
      templates: [...templates, template(2, leaves('/paused'))],
      assignments: [assign(1, 1, role), paused],
    }
    expect(left({ ...policy, exceptions: [] })).toEqual(['/mnt/*', '/backup'])
  })
  it('an exception that adds nothing is told as one, and one made the word of its template adds to it', () => {
    const exceptions = [except(1, chosen, leaves('/backup')), except(2, client, leaves('/archive'))]
    const policy = { templates, assignments: [assign(1, 1, role)], exceptions }
    expect(exceptionUses(compilePolicy(policy), [device], 0).map(({ doubts }) => doubts)).toEqual([
      ['changes nothing'],
      [],
    ])
    // What only a paused assignment says as well is the exception's doing.
    const paused = assign(2, 1, role, { dormant: true, values: { disk: leaves('/archive') } })
    const beside = { ...policy, assignments: [...policy.assignments, paused] }
    expect(exceptionUses(compilePolicy(beside), [device], 0)[1]!.doubts).toEqual([])
    const [step] = pullUp(policy, 2, 1)
    expect(step).toMatchObject({ to: { watches: [{ values: leaves('/archive', '/mnt/*', '/backup') }] } })
    expect(devicesFollowing(compilePolicy(policy), [device], 1, 'disk', 'except')).toEqual([device.id])
  })
})
