import { describe, expect, it } from 'vitest'
import { noNames, type DeviceTraits, type Target } from '../estate'
import { compilePolicy } from './compile'
import { hurryOf, paceOf, readingsPerDay } from './pace'
import { rebaseTemplate } from './rebase'
import type { Policy } from './roster'
import { stepFaults, withSteps, type KnownEstate, type PolicyStep } from './steps'
import type { Template, TemplateBody, WatchSpec } from './template'
import { exceptionUses, keepForPresent, pullUp } from './exceptionReview'
import { templateChanges, templatesBeside } from './describe'

const watch = (
  key: string,
  kind = 'disk-space',
  values: WatchSpec['values'] = {},
  more: Partial<WatchSpec> = {},
): WatchSpec => ({ key, kind, name: key, why: '', osFamilies: [], values, ...more })
const body = (name: string, watches: WatchSpec[], includes: number[] = []): TemplateBody => ({
  name,
  description: '',
  includes,
  watches,
})
const template = (id: number, name: string, watches: WatchSpec[], includes: number[] = []): Template => ({
  ...body(name, watches, includes),
  id,
  revision: 1,
})
const everyone: Target = { on: 'everyone' }
const assignment = (templateId: number) => ({
  templateId,
  target: everyone,
  rank: 100,
  values: {},
  dormant: false,
  reason: '',
  reviewAt: null,
})
const exception = (key: string, target: Target, values: WatchSpec['values']) => ({
  target,
  watch: key,
  values,
  leftOut: false,
  reason: 'because',
  ownerId: null,
  reviewAt: null,
})
const policy: Policy = {
  templates: [
    template(1, 'Base', [watch('disk', 'disk-space', { hold: 60_000 }), watch('cpu', 'cpu-busy')]),
    template(2, 'More', [watch('load', 'load')], [1]),
  ],
  assignments: [{ ...assignment(1), id: 10, revision: 1, createdAt: 1 }],
  exceptions: [
    { ...exception('disk', { on: 'devices', deviceIds: [7] }, { hold: 300_000 }), id: 20, revision: 1, createdAt: 1 },
  ],
}
const estate: KnownEstate = {
  ...noNames,
  role: (id) => (id === 'web' ? 'web server' : null),
  device: (id) => (id === 7 ? 'seven' : null),
  client: (id) => (id === 1 ? 'one' : null),
  siteClient: () => null,
}
const device = (id: number): DeviceTraits => ({
  id,
  name: `d${id}`,
  clientId: 1,
  siteId: 1,
  kind: 'server',
  osFamily: 'linux',
  osName: '',
  roles: [],
  tags: [],
  addresses: [],
  facts: {},
})
const devices = [device(7), device(8)]
const said = (steps: PolicyStep[]) => stepFaults(policy, steps, estate).map(({ at, message }) => `${at}: ${message}`)

describe('steps', () => {
  it('make, change and remove; what is new may be spoken of at once', () => {
    const after = withSteps(
      policy,
      [
        { of: 'template', id: -1, basedOn: 0, note: '', to: body('New', [watch('web', 'service-state')]) },
        { of: 'assignment', id: -2, basedOn: 0, to: assignment(-1) },
        { of: 'exception', id: 20, basedOn: 1, to: null },
        {
          of: 'template',
          id: 1,
          basedOn: 1,
          note: '',
          to: body('Base', [watch('disk', 'disk-space', { hold: 120_000 })]),
        },
      ],
      1000,
    )
    expect(
      compilePolicy(after)
        .roster(device(7))
        .map((candidate) => [candidate.key, candidate.values.hold]),
    ).toEqual([
      ['disk', 120_000],
      ['web', 60_000],
    ])
  })
  it('looks at each of many templates that include each other once', () => {
    // Forty layers of two, each of which includes both of the next: 2^40 ways through.
    const layers = Array.from({ length: 40 }, (_, layer) =>
      [0, 1].map((side) =>
        template(100 + 2 * layer + side, `t${layer}.${side}`, [], layer < 39 ? [102 + 2 * layer, 103 + 2 * layer] : []),
      ),
    )
    const many: Policy = { ...policy, templates: layers.flat() }
    const closing: PolicyStep = { of: 'template', id: 179, basedOn: 1, note: '', to: body('t39.1', [], [100]) }
    expect(
      stepFaults(many, [{ of: 'template', id: 100, basedOn: 1, note: '', to: body('t0.0', [], [102, 103]) }], estate),
    ).toEqual([])
    expect(stepFaults(many, [closing], estate).map((fault) => fault.message)).toEqual([
      expect.stringMatching(/^It includes itself: t39\.1 → t0\.0 → t1\.0 .* → t38\.[01] → t39\.1\./) as never,
    ])
  })
  it.each<[string, PolicyStep[], string[]]>([
    ['fine', [{ of: 'assignment', id: -1, basedOn: 0, to: assignment(2) }], []],
    [
      'an assignment of a template that is not there',
      [{ of: 'assignment', id: -1, basedOn: 0, to: assignment(9) }],
      ['steps.0.templateId: There is no such template (any more).'],
    ],
    [
      'a template that includes a missing one',
      [{ of: 'template', id: 2, basedOn: 1, note: '', to: body('More', [], [9]) }],
      ['steps.0.includes: It includes a template that does not exist (any more). Leave it out, or make it first.'],
    ],
    [
      'a ring of templates',
      [{ of: 'template', id: 1, basedOn: 1, note: '', to: body('Base', [], [2]) }],
      ['steps.0.includes: It includes itself: Base → More → Base. Leave one of them out.'],
    ],
    [
      'a name that is taken',
      [{ of: 'template', id: -1, basedOn: 0, note: '', to: body('BASE', []) }],
      ['steps.0.name: There is a template “BASE” already. Choose another name.'],
    ],
    [
      'an unknown parameter',
      [{ of: 'assignment', id: -1, basedOn: 0, to: { ...assignment(1), values: { disk: { colour: 'red' } } } }],
      ['steps.0.values.disk.colour: Free disk space has no parameter “colour”.'],
    ],
    [
      'a value outside its range',
      [{ of: 'exception', id: -1, basedOn: 0, to: exception('disk', everyone, { 'warning.percent': 7 }) }],
      ['steps.0.values.warning.percent: Warning below must lie between 0 % and 100 %; 700 % does not.'],
    ],
    [
      'an exception that says nothing',
      [{ of: 'exception', id: -1, basedOn: 0, to: { ...exception('disk', everyone, {}), reason: 'x' } }],
      [
        'steps.0.values: An exception changes at least one value, or leaves the watch out.',
        'steps.0.reason: Say why: whoever finds this exception in a year needs it.',
      ],
    ],
    [
      'an exception on a watch that is not there',
      [{ of: 'exception', id: -1, basedOn: 0, to: exception('dsik', everyone, { hold: 1 }) }],
      ['steps.0.watch: No template has a watch “dsik”.'],
    ],
    [
      'a target that names what is not there',
      [
        {
          of: 'assignment',
          id: -1,
          basedOn: 0,
          to: {
            ...assignment(1),
            target: {
              on: 'all',
              of: [
                { on: 'role', role: 'wbe' },
                { on: 'devices', deviceIds: [7, 8] },
              ],
            },
          },
        },
      ],
      [
        'steps.0.target.0: There is no such role (any more).',
        'steps.0.target.1: 1 chosen device is not in use (any more). Leave them out.',
      ],
    ],
    [
      'the same new thing twice',
      [
        { of: 'exception', id: -1, basedOn: 0, to: exception('disk', everyone, { hold: 1000 }) },
        { of: 'exception', id: -1, basedOn: 0, to: exception('disk', everyone, { hold: 2000 }) },
      ],
      ['steps.1: Another step of this change is about the same exception. Put both into one.'],
    ],
    [
      'a new thing made and removed',
      [
        { of: 'template', id: -1, basedOn: 0, note: '', to: body('New', []) },
        { of: 'template', id: -1, basedOn: 0, note: '', to: null },
      ],
      ['steps.1: Another step of this change is about the same template. Put both into one.'],
    ],
    [
      'a new thing removed',
      [{ of: 'assignment', id: -1, basedOn: 0, to: null }],
      ['steps.0: This assignment is not there yet, so it cannot be removed.'],
    ],
    [
      'a new thing with a past',
      [{ of: 'exception', id: -1, basedOn: 7, to: exception('disk', everyone, { hold: 1000 }) }],
      ['steps.0.basedOn: This exception is new: it is based on no revision, 0.'],
    ],
    [
      'a pattern that runs away',
      [{ of: 'exception', id: -1, basedOn: 0, to: exception('disk', everyone, { disks: ['^(a+)+$'] }) }],
      [expect.stringContaining('regular expression') as never],
    ],
    [
      'taking away what is used',
      [{ of: 'template', id: 1, basedOn: 1, note: '', to: null }],
      [
        'steps.0: “Base” is still assigned (1 assignment). Take those away first.',
        'steps.0: “Base” is included by “More”. Leave it out there first.',
      ],
    ],
  ])('say what is wrong: %s', (_, steps, faults) => {
    expect(said(steps)).toEqual(faults)
  })
})

describe('what changed, in words', () => {
  it('between two revisions', () => {
    const after = {
      ...body(
        'Basis',
        [
          watch('cpu', 'cpu-busy', {}, { name: 'Processor', osFamilies: ['linux'] }),
          watch('disk', 'disk-space', { hold: 300_000, 'warning.percent': 0.2 }),
          watch('load', 'load'),
        ],
        [2],
      ),
      description: 'what all need',
    }
    expect(templateChanges(policy.templates[0]!, after, () => 'More')).toEqual([
      'renamed from “Base” to “Basis”',
      'described anew',
      'includes “More” now',
      'cpu: is called “Processor” now; on every system → only on Linux',
      'disk: Warning below default (10 %) → 20 %; Hold 60 s → 5 min',
      'load: added',
    ])
    expect(templateChanges(after, body('Basis', [watch('disk', 'silence')]), () => 'More')).toEqual([
      'described anew',
      'no longer includes “More”',
      'disk: is another kind of watch now: Device silent',
      'Processor: removed',
      'load: removed',
    ])
    expect(templateChanges(body('a', [watch('x'), watch('y')]), body('a', [watch('y'), watch('x')]), String)).toEqual([
      'put in another order',
    ])
  })
  it('side by side', () => {
    expect(
      templatesBeside(policy.templates[0]!, policy.templates[1]!).map((pair) => [
        pair.key,
        pair.a !== null,
        pair.b !== null,
      ]),
    ).toEqual([
      ['disk', true, false],
      ['cpu', true, false],
      ['load', false, true],
    ])
    expect(
      templatesBeside(
        body('a', [watch('disk', 'disk-space', { hold: 1, media: 'fixed' })]),
        body('b', [watch('disk', 'disk-space', { media: 'fixed', 'warning.percent': 0.2 })]),
      )[0]!.differs,
    ).toEqual(['warning.percent', 'hold'])
  })
})

describe('two people at one template', () => {
  const base = body('Base', [
    watch('disk', 'disk-space', { hold: 60_000, 'warning.percent': 0.1 }),
    watch('cpu', 'cpu-busy'),
    watch('load', 'load'),
  ])
  const withDisk = (values: WatchSpec['values'], ...others: WatchSpec[]) =>
    body('Base', [watch('disk', 'disk-space', values), ...others])
  it('neither loses what only one of them changed', () => {
    const mine = withDisk(
      { hold: 120_000, 'warning.percent': 0.1 },
      watch('cpu', 'cpu-busy'),
      watch('load', 'load'),
      watch('memory', 'memory-available'),
    )
    const theirs = {
      ...withDisk({ hold: 60_000, 'warning.percent': 0.2 }, watch('cpu', 'cpu-busy', {}, { name: 'Processor' })),
      description: 'theirs',
    }
    const { body: merged, clashes } = rebaseTemplate(base, mine, theirs)
    expect(clashes).toEqual([])
    expect(merged).toEqual({
      ...theirs,
      watches: [
        watch('disk', 'disk-space', { hold: 120_000, 'warning.percent': 0.2 }),
        watch('cpu', 'cpu-busy', {}, { name: 'Processor' }),
        watch('memory', 'memory-available'),
      ],
    })
  })
  it('what both changed is mine, and said', () => {
    const { body: merged, clashes } = rebaseTemplate(
      base,
      withDisk(
        { hold: 120_000, 'warning.percent': 0.1 },
        watch('cpu', 'cpu-busy', { hold: 1000 }),
        watch('load', 'load'),
      ),
      withDisk({ hold: 300_000, 'warning.percent': 0.1 }, watch('load', 'load')),
    )
    expect(merged.watches.map((spec) => [spec.key, spec.values.hold])).toEqual([
      ['disk', 120_000],
      ['load', undefined],
      ['cpu', 1000],
    ])
    expect(clashes).toEqual(['disk: Hold: you 2 min, they 5 min', 'cpu: you changed it, they took it away; it stays'])
  })
})

describe('exceptions', () => {
  const uses = (of: Policy) =>
    exceptionUses(compilePolicy(of), devices, 1000).map((use) => [use.exception.id, use.devices, use.doubts])
  it('are doubted when their day has passed, they change nothing, or reach nothing', () => {
    const at = (id: number, more: object) => ({
      ...exception('disk', { on: 'devices', deviceIds: [8] }, { hold: 300_000 }),
      id,
      revision: 1,
      createdAt: id,
      ...more,
    })
    expect(
      uses({
        ...policy,
        exceptions: [
          at(1, {}),
          at(2, { reviewAt: 999, target: { on: 'devices', deviceIds: [7] } }),
          at(3, { target: { on: 'devices', deviceIds: [99] } }),
          at(4, { watch: 'gone' }),
          at(5, { watch: 'cpu', values: { hold: 900_000 } }),
          at(6, { watch: 'cpu', values: {}, leftOut: true, target: { on: 'devices', deviceIds: [7] } }),
        ],
      }),
    ).toEqual([
      [1, 1, []],
      [2, 1, ['date passed']],
      [3, 0, ['reaches nothing']],
      [4, 0, ['reaches nothing']],
      [5, 1, ['changes nothing']],
      [6, 1, []],
    ])
  })
  it('that another one stands over change nothing', () => {
    expect(
      uses({
        ...policy,
        exceptions: [
          { ...policy.exceptions[0]!, id: 1, target: everyone, values: { hold: 5 } },
          { ...policy.exceptions[0]!, id: 2, target: { on: 'kind', kind: 'server' }, values: { hold: 6 } },
        ],
      }),
    ).toEqual([
      [1, 2, ['changes nothing']],
      [2, 2, []],
    ])
  })
  it('are pulled up: the template says it, for everybody, and the exception is gone', () => {
    const after = withSteps(policy, pullUp(policy, 20, 1), 0)
    expect(
      devices.map(
        (device) =>
          compilePolicy(after)
            .roster(device)
            .find((each) => each.key === 'disk')!.values.hold,
      ),
    ).toEqual([300_000, 300_000])
    expect(after.exceptions).toEqual([])
  })
  it('are made of what a template says, for the devices that follow it now', () => {
    const kept = withSteps(
      policy,
      keepForPresent(compilePolicy(policy), devices, 1, 'disk', 'hold', 'they are used to it', 3),
      0,
    )
    const later = withSteps(
      kept,
      [
        {
          of: 'template',
          id: 1,
          basedOn: 1,
          note: '',
          to: body('Base', [watch('disk', 'disk-space', { hold: 1000 })]),
        },
      ],
      0,
    )
    expect(
      [...devices, device(9)].map(
        (device) =>
          compilePolicy(later)
            .roster(device)
            .find((each) => each.key === 'disk')!.values.hold,
      ),
    ).toEqual([300_000, 60_000, 1000])
  })
})

describe('the pace of collectors', () => {
  const roster = (...watches: WatchSpec[]) =>
    compilePolicy({
      templates: [template(1, 'T', watches)],
      assignments: [{ ...assignment(1), id: 1, revision: 1, createdAt: 0 }],
      exceptions: [],
    }).roster(device(1))
  it('is that of the most impatient watch; without a word it is that of the reports', () => {
    expect(
      paceOf(
        roster(
          watch('a', 'cpu-busy', { every: 300_000 }),
          watch('b', 'load', { every: 120_000 }),
          watch('c', 'service-state', { every: 20_000 }),
          watch('d', 'log-match', { channel: 'System' }),
        ),
        60_000,
      ),
    ).toEqual({
      every: {
        performance: 120_000,
        disks: 60_000,
        network: 60_000,
        services: 20_000,
        processes: 60_000,
        files: 60_000,
        counters: 60_000,
      },
      logs: ['System'],
      processes: [],
      files: [],
      counters: [],
    })
    expect(
      paceOf(roster(watch('a', 'cpu-busy', { every: 300_000 }), watch('b', 'load')), 60_000).every.performance,
    ).toBe(60_000)
  })
  it('gives the readings of a day', () => {
    expect(
      readingsPerDay(paceOf(roster(watch('a', 'disk-space', { every: 300_000 })), 60_000), {
        disks: 4,
        performance: 6,
      }),
    ).toBe(4 * 288 + 6 * 1440)
    const counted = roster(
      watch('a', 'process', { name: 'nginx' }),
      watch('b', 'process', { name: 'nginx', cpu: 0.5 }),
      watch('c', 'process', { name: '' }),
    )
    // Both of the same choice cost it once; one that names nothing asks for nothing.
    expect(readingsPerDay(paceOf(counted, 60_000), {})).toBe(5 * 1440)
    // What is read of them more or less often costs that; the values on record of them are not counted twice.
    const paced = roster(
      watch('a', 'process', { name: 'nginx', every: 20_000 }),
      watch('b', 'file', { path: '/srv/backup', every: 600_000 }),
    )
    expect(readingsPerDay(paceOf(paced, 60_000), { processes: 5, files: 5 })).toBe(5 * 4320 + 5 * 144)
  })
  it('quickens while a check fails and is not confirmed', () => {
    const watches = roster(watch('a', 'cpu-busy', { recheck: 15_000 }), watch('b', 'service-state'))
    const post = (level: 'critical' | 'warning' | null, runs: object) => ({
      lastAt: 0,
      level,
      began: null,
      runs,
      clearRun: null,
      silent: false,
    })
    const run = { since: 0, checks: 1 }
    expect(hurryOf(watches, new Map([['a|', post(null, { warning: run })]]))).toEqual({ performance: 15_000 })
    expect(
      hurryOf(
        watches,
        new Map([
          ['a|', post('critical', { critical: run, warning: run })],
          ['b|cron', post(null, { critical: run })],
        ]),
      ),
    ).toEqual({})
    expect(hurryOf(watches, new Map([['a|', post('warning', { critical: run, warning: run })]]))).toEqual({
      performance: 15_000,
    })
    const process = roster(watch('p', 'process', { name: 'nginx', recheck: 10_000 }))
    expect(hurryOf(process, new Map([['p|name=nginx', post(null, { critical: run })]]))).toEqual({ processes: 10_000 })
  })
})
