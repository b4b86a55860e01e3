import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Service } from '../estate'
import type { LogEvent } from '../eventlog'
import type { EffectiveWatch } from '../policy'
import type { Reading } from '../series'
import { day, gigabyte, hour, minute } from '../units'
import { evaluate, type DeviceState, type PostTransition } from './evaluate'
import type { Observed } from './kind'
import { watchKind } from './kinds'
import type { Values } from './parameter'
import { sentenceText } from './sentence'

function watch(key: string, kind: string, values: Values = {}): EffectiveWatch {
  const defaults = Object.fromEntries(
    watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default]),
  )
  return {
    key,
    kind,
    name: key,
    why: '',
    standing: 'active',
    values: { ...defaults, ...values },
    chains: {},
    broughtBy: [],
    leftOutBy: null,
  }
}
const observed = (at: number, more: Partial<Observed> = {}): Observed => ({
  at,
  interval: minute,
  heardAt: at,
  readings: [],
  facts: {},
  events: [],
  failed: [],
  zone: 'UTC',
  ...more,
})
const disk = (free: number, size: number): Reading[] => [
  ['disk.size', '/srv', size],
  ['disk.free', '/srv', free],
]
const service = (name: string, state: Service['state'], start: Service['start'] = 'automatic'): Service => ({
  name,
  title: name,
  start,
  state,
})
const event = (at: number, text = 'completed', more: Partial<LogEvent> = {}): LogEvent => ({
  at,
  channel: 'syslog',
  source: 'nightly-backup',
  id: null,
  level: 'informational',
  text,
  ...more,
})

function run(
  roster: EffectiveWatch[],
  steps: Observed[],
): { state: DeviceState; short: string[]; transitions: PostTransition[] } {
  let state: DeviceState = new Map()
  const transitions: PostTransition[] = []
  for (const step of steps) {
    const result = evaluate(state, roster, step)
    state = result.state
    transitions.push(...result.transitions)
  }
  return {
    state,
    transitions,
    short: transitions.map(
      (transition) =>
        `${transition.at / minute} ${transition.watch}|${transition.instance} ${transition.kind} ${transition.to ?? 'well'}`,
    ),
  }
}

describe('free disk space', () => {
  const roster = [watch('disk', 'disk-space', { hold: 0, 'clear.hold': 0 })]
  it('needs share and bytes both low: 8 % of a very large disk is fine', () => {
    expect(run(roster, [observed(minute, { readings: disk(800 * gigabyte, 10_000 * gigabyte) })]).short).toEqual([])
  })
  it('and raises when both are', () => {
    expect(run(roster, [observed(minute, { readings: disk(8 * gigabyte, 100 * gigabyte) })]).short).toEqual([
      '1 disk|/srv raised warning',
    ])
    expect(run(roster, [observed(minute, { readings: disk(4 * gigabyte, 100 * gigabyte) })]).short).toEqual([
      '1 disk|/srv raised critical',
    ])
  })
  it('clears above either clear value', () => {
    const full = observed(minute, { readings: disk(8 * gigabyte, 100 * gigabyte) })
    expect(
      run(roster, [full, observed(2 * minute, { readings: disk(11 * gigabyte, 100 * gigabyte) })]).short,
    ).toHaveLength(1)
    expect(
      run(roster, [full, observed(2 * minute, { readings: disk(12 * gigabyte, 100 * gigabyte) })]).short,
    ).toHaveLength(2)
  })
  it('leaves out removable disks unless wanted, and what the exclusion names', () => {
    const readings = disk(1 * gigabyte, 100 * gigabyte)
    const facts = { disks: [{ mount: '/srv', device: '/dev/sdb1', fileSystem: 'ext4', removable: true, size: 1 }] }
    expect(run(roster, [observed(minute, { readings, facts })]).short).toEqual([])
    expect(
      run(
        [watch('disk', 'disk-space', { hold: 0, media: 'fixed or removable' })],
        [observed(minute, { readings, facts })],
      ).short,
    ).toHaveLength(1)
    expect(
      run([watch('disk', 'disk-space', { hold: 0, except: ['/s*'] })], [observed(minute, { readings })]).short,
    ).toEqual([])
  })
  it('works with bytes alone', () => {
    expect(
      run(
        [watch('disk', 'disk-space', { hold: 0, 'warning.percent': null, 'critical.percent': null })],
        [observed(minute, { readings: disk(15 * gigabyte, 30 * gigabyte) })],
      ).short,
    ).toEqual(['1 disk|/srv raised warning'])
  })
})

describe('services', () => {
  const roster = [watch('services', 'service-state', { hold: 0, 'clear.hold': 0, except: ['*updater*'] })]
  const at = (minutes: number, ...services: Service[]) => observed(minutes * minute, { facts: { services } })
  it('stopped although it starts by itself is a problem', () => {
    expect(run(roster, [at(1, service('orders', 'stopped'), service('web', 'running'))]).short).toEqual([
      '1 services|orders raised critical',
    ])
  })
  it('stopped on demand, late, by hand, finished or excluded by name is not', () => {
    expect(
      run(roster, [
        at(
          1,
          service('a', 'stopped', 'on-demand'),
          service('b', 'stopped', 'late'),
          service('c', 'stopped', 'manual'),
          service('d', 'finished'),
          service('Acme Updater', 'stopped'),
        ),
      ]).short,
    ).toEqual([])
  })
  it('a named one may be expected to be stopped', () => {
    expect(
      run(
        [watch('t', 'service-state', { which: 'named', names: ['telnet'], expected: 'stopped', hold: 0 })],
        [at(1, service('telnet', 'running', 'manual'))],
      ).short,
    ).toEqual(['1 t|telnet raised critical'])
  })
  it('one that a watch names is that watch’s alone', () => {
    expect(
      run(
        [...roster, watch('web', 'service-state', { which: 'named', names: ['nginx'], hold: 0 })],
        [at(1, service('nginx', 'stopped'))],
      ).short,
    ).toEqual(['1 web|nginx raised critical'])
  })
  it('that are no longer installed clear', () => {
    expect(run(roster, [at(1, service('orders', 'stopped')), at(2)]).short).toEqual([
      '1 services|orders raised critical',
      '2 services|orders cleared well',
    ])
  })
  it('stay as they are while their collector fails', () => {
    const blind = (minutes: number) => observed(minutes * minute, { failed: ['services'] })
    expect(
      run(roster, [at(1, service('orders', 'stopped')), blind(2), blind(4), at(5, service('orders', 'stopped'))]).short,
    ).toEqual([
      '1 services|orders raised critical',
      '4 services|orders silent critical',
      '5 services|orders heard critical',
    ])
  })
})

describe('updates', () => {
  const updates = (security: number, other: number, oldestSecurityAt: number | null) => ({
    updates: {
      security,
      other,
      leftover: 3,
      oldestSecurityAt,
      oldestOtherAt: oldestSecurityAt,
      restartPending: true,
      checkedAt: 0,
      names: [],
    },
  })
  it('security critical, other warning, leftovers nothing (common practice, no source)', () => {
    expect(run([watch('u', 'updates')], [observed(day, { facts: updates(2, 3, 0) })]).short).toEqual([
      '1440 u|security raised critical',
      '1440 u|other raised warning',
    ])
  })
  it('count only after the oldest has waited for long enough', () => {
    const roster = [watch('u', 'updates', { 'security.after': 7 * day, other: 'nothing' })]
    expect(
      run(roster, [observed(6 * day, { facts: updates(2, 0, 0) }), observed(7 * day, { facts: updates(2, 0, 0) })])
        .short,
    ).toEqual(['10080 u|security raised critical'])
  })
})

describe('log entries', () => {
  const match = [
    watch('m', 'log-match', { source: 'disk', level: 'error', count: 3, within: 10 * minute, quiet: hour }),
  ]
  const error = (minutes: number, level: LogEvent['level'] = 'error') =>
    event(minutes * minute, 'bad block', { source: 'disk', level })
  it('are counted in a sliding time by their own times', () => {
    expect(
      run(match, [
        observed(5 * minute, { events: [error(0), error(2)] }),
        observed(20 * minute, { events: [error(11), error(19)] }),
      ]).short,
    ).toEqual([])
    expect(
      run(match, [
        observed(5 * minute, { events: [error(0), error(2)] }),
        observed(10 * minute, { events: [error(9)] }),
      ]).short,
    ).toEqual(['10 m| raised warning'])
  })
  it('of a milder level do not count, those of a more urgent one do (RFC 5424 order)', () => {
    expect(
      run(match, [observed(5 * minute, { events: [error(1, 'warning'), error(2, 'warning'), error(3, 'warning')] })])
        .short,
    ).toEqual([])
    expect(
      run(match, [observed(5 * minute, { events: [error(1, 'critical'), error(2, 'alert'), error(3, 'emergency')] })])
        .short,
    ).toHaveLength(1)
  })
  it('clear after the quiet time', () => {
    const noisy = observed(5 * minute, { events: [error(1), error(2), error(3)] })
    expect(run(match, [noisy, observed(62 * minute)]).short).toHaveLength(1)
    expect(run(match, [noisy, observed(63 * minute)]).short.at(-1)).toBe('63 m| cleared well')
  })
  const absence = [
    watch('b', 'log-absence', { source: 'nightly-backup', text: 'completed', period: 26 * hour, severity: 'critical' }),
  ]
  it('that are missing are missed from the last match on', () => {
    expect(run(absence, [observed(hour, { events: [event(hour)] }), observed(27 * hour - 1)]).short).toEqual([])
    const late = run(absence, [observed(hour, { events: [event(hour)] }), observed(27 * hour)])
    expect(late.short).toEqual(['1620 b| raised critical'])
    expect(late.transitions[0]!.began).toBe(27 * hour)
  })
  it('or from the beginning of the watch, and clear when one comes', () => {
    expect(
      run(absence, [observed(0), observed(26 * hour), observed(27 * hour, { events: [event(27 * hour)] })]).short,
    ).toEqual(['1560 b| raised critical', '1620 b| cleared well'])
  })
})

describe('silence', () => {
  const roster = [watch('s', 'silence', { after: 5 * minute })]
  it('begins when the device was last heard, and never before 2.5 intervals', () => {
    const quiet = (at: number, interval: number) => run(roster, [observed(at, { heardAt: 0, interval })])
    expect(quiet(5 * minute, minute).transitions).toMatchObject([{ kind: 'raised', began: 0 }])
    expect(quiet(5 * minute, 3 * minute).short).toEqual([])
  })
})

describe('evaluation', () => {
  const roster = [
    watch('cpu', 'cpu-busy', { hold: 3 * minute }),
    watch('disk', 'disk-space', { hold: 2 * minute }),
    watch('services', 'service-state'),
    watch('m', 'log-match', { source: 'disk', count: 2 }),
  ]
  const step = fc.record({
    gap: fc.integer({ min: 1, max: 4 }),
    cpu: fc.constantFrom(0.2, 0.96, 0.98, 1),
    free: fc.constantFrom(3, 8, 15, 60),
    up: fc.boolean(),
    logged: fc.integer({ min: 0, max: 2 }),
  })
  const build = (list: { gap: number; cpu: number; free: number; up: boolean; logged: number }[]): Observed[] => {
    let at = 0
    return list.map((watch) => {
      at += watch.gap * minute
      return observed(at, {
        readings: [['cpu.busy', '', watch.cpu], ...disk(watch.free * gigabyte, 100 * gigabyte)],
        facts: { services: [service('orders', watch.up ? 'running' : 'stopped')] },
        events: Array.from({ length: watch.logged }, (_, i) => event(at - i, 'bad', { source: 'disk' })),
      })
    })
  }
  it('does not depend on how a run of reports is cut into batches', () => {
    fc.assert(
      fc.property(fc.array(step, { maxLength: 50 }), fc.integer({ min: 1, max: 7 }), (list, size) => {
        const reports = build(list)
        const whole = run(roster, reports)
        let state: DeviceState = new Map()
        const transitions: PostTransition[] = []
        for (let i = 0; i < reports.length; i += size) {
          // What is kept between batches goes through JSON, as it does through the database.
          state = new Map(JSON.parse(JSON.stringify([...state])) as [string, never][])
          for (const report of reports.slice(i, i + size)) {
            const result = evaluate(state, roster, report)
            state = result.state
            transitions.push(...result.transitions)
          }
        }
        expect(transitions).toEqual(whole.transitions)
      }),
    )
  })
  it('raises and clears each post in turn: at most one open at a time', () => {
    fc.assert(
      fc.property(fc.array(step, { maxLength: 80 }), (list) => {
        const open = new Set<string>()
        for (const transition of run(roster, build(list)).transitions) {
          const key = `${transition.watch}|${transition.instance}`
          if (transition.kind === 'raised') {
            expect(open.has(key)).toBe(false)
            open.add(key)
          }
          if (transition.kind === 'cleared') {
            expect(open.has(key)).toBe(true)
            open.delete(key)
          }
        }
      }),
    )
  })
  it('leaves out what is dormant or left out', () => {
    expect(
      run(
        [{ ...watch('disk', 'disk-space', { hold: 0 }), standing: 'dormant' }],
        [observed(minute, { readings: disk(1, 100 * gigabyte) })],
      ).short,
    ).toEqual([])
  })
})

describe('when a watch looks', () => {
  const full = disk(1 * gigabyte, 100 * gigabyte)
  const monday = Date.UTC(2026, 10, 23)
  it('outside its hours nothing is raised or cleared, and no hold goes on; on the clocks of the site', () => {
    const office = [watch('disk', 'disk-space', { hold: 2 * minute, hours: 'Mon–Fri 08:00–20:00' })]
    const looked = (from: number, zone: string, free = full) =>
      Array.from({ length: 5 }, (_, i) => observed(monday + from + i * minute, { readings: free, zone }))
    const hour = 60 * minute
    expect(run(office, looked(3 * hour, 'UTC')).short).toEqual([])
    // 07:58 in Lisbon in winter: the hold begins at eight.
    expect(
      run(office, looked(8 * hour - 2 * minute, 'Europe/Lisbon')).transitions.map((transition) => [
        transition.kind,
        transition.began,
      ]),
    ).toEqual([['raised', monday + 8 * hour]])
    // The same moments are 08:58 in Vienna.
    expect(run(office, looked(8 * hour - 2 * minute, 'Europe/Vienna')).transitions[0]!.began).toBe(
      monday + 8 * hour - 2 * minute,
    )
    const open = looked(19 * hour, 'UTC')
    const night = looked(20 * hour, 'UTC', disk(90 * gigabyte, 100 * gigabyte))
    expect(run(office, [...open, ...night]).short).toHaveLength(1)
  })
  it('a collector whose turn it is not says nothing: the post waits, and its hold goes on', () => {
    const slow = [watch('disk', 'disk-space', { hold: 8 * minute, every: 5 * minute })]
    const reports = Array.from({ length: 16 }, (_, i) =>
      observed(i * minute, i % 5 === 0 ? { readings: full } : { rested: ['disks'] }),
    )
    expect(
      run(slow, reports).transitions.map((transition) => [transition.kind, transition.at, transition.began]),
    ).toEqual([['raised', 10 * minute, 0]])
  })
  it('and is silent when its turn never comes', () => {
    const slow = [watch('disk', 'disk-space', { hold: 0, every: 5 * minute })]
    const reports = Array.from({ length: 20 }, (_, i) =>
      observed(i * minute, i === 0 ? { readings: full } : { rested: ['disks'] }),
    )
    expect(run(slow, reports).transitions.map((transition) => [transition.kind, transition.at])).toEqual([
      ['raised', 0],
      ['silent', 13 * minute],
    ])
  })
})

describe('what is not there', () => {
  const cpu = [
    watch('cpu', 'cpu-busy', { critical: 0.9, warning: null, notice: null, hold: 2 * minute, 'clear.hold': 0 }),
  ]
  const busy = (minutes: number, value: number | null) =>
    observed(minutes * minute, { readings: value === null ? [] : [['cpu.busy', '', value]] })
  it('is not well: one report without the value neither ends a hold nor closes an alert', () => {
    expect(run(cpu, [busy(0, 0.95), busy(1, null), busy(2, 0.95)]).short).toEqual(['2 cpu| raised critical'])
    expect(
      run(cpu, [busy(0, 0.95), busy(1, 0.95), busy(2, 0.95), busy(3, null), busy(4, null), busy(10, null)]).short,
    ).toEqual(['2 cpu| raised critical', '10 cpu| silent critical'])
  })
  it('is gone only where the facts say so: a disk of which no size came stays as it was', () => {
    const roster = [watch('disk', 'disk-space', { hold: 0, 'clear.hold': 0 })]
    const disks = [{ mount: '/srv', device: '/dev/sdb1', fileSystem: 'ext4', removable: false, size: 1 }]
    const full = observed(minute, { readings: disk(1 * gigabyte, 100 * gigabyte), facts: { disks } })
    expect(run(roster, [full, observed(2 * minute, { facts: { disks } })]).short).toHaveLength(1)
    expect(run(roster, [full, observed(2 * minute, { facts: { disks: [] } })]).short).toEqual([
      '1 disk|/srv raised critical',
      '2 disk|/srv cleared well',
    ])
  })
  it('is told as such by a watch of its own: a collector that fails for its time', () => {
    const roster = [watch('agent', 'collector-fails', { hold: 10 * minute })]
    const failing = (minutes: number, more: Partial<Observed> = {}) =>
      observed(minutes * minute, { failed: ['services'], reasons: { services: 'systemctl hangs' }, ...more })
    const { short, transitions } = run(roster, [
      ...Array.from({ length: 11 }, (_, i) => failing(i)),
      observed(11 * minute),
    ])
    expect(short).toEqual(['10 agent|services raised warning', '11 agent|services cleared well'])
    expect(transitions[0]!.evidence?.text).toBe('its services cannot be read: systemctl hangs')
    expect(
      run(
        roster,
        Array.from({ length: 20 }, (_, i) => failing(i, { absent: ['services'] })),
      ).short,
    ).toEqual([])
  })
})

describe('state that outlives its meaning', () => {
  const step = (state: DeviceState, roster: EffectiveWatch[], given: Observed) => evaluate(state, roster, given)
  it('of another kind of watch under the same key is none', () => {
    const before = step(
      new Map(),
      [watch('x', 'log-match', { count: 3 })],
      observed(minute, { events: [event(minute)] }),
    ).state
    const { state, broken, transitions } = step(
      before,
      [watch('x', 'cpu-busy', { hold: 0 })],
      observed(2 * minute, { readings: [['cpu.busy', '', 0.995]] }),
    )
    expect([broken, transitions.map((transition) => transition.kind), state.get('x|')?.level]).toEqual([
      [],
      ['raised'],
      'critical',
    ])
  })
  it('a match under another filter is forgotten; absence then counts anew', () => {
    const absence = (text: string) => [watch('b', 'log-absence', { text, period: hour })]
    const before = step(new Map(), absence('completed'), observed(minute, { events: [event(minute)] })).state
    const asked = step(before, absence('verified'), observed(30 * minute)).state
    expect(run(absence('verified'), []).short).toEqual([])
    expect(step(asked, absence('verified'), observed(80 * minute)).transitions).toEqual([])
    expect(
      step(asked, absence('verified'), observed(91 * minute)).transitions.map((transition) => transition.kind),
    ).toEqual(['raised'])
  })
  it('a hold under another threshold begins anew, and what is open goes on', () => {
    const over = (critical: number) => [
      watch('cpu', 'cpu-busy', { critical, warning: null, notice: null, hold: 5 * minute }),
    ]
    const busy = (minutes: number) => observed(minutes * minute, { readings: [['cpu.busy', '', 0.97]] })
    let state: DeviceState = new Map()
    for (let i = 0; i <= 4; i++) state = step(state, over(0.9), busy(i)).state
    expect(step(state, over(0.95), busy(5)).transitions).toEqual([])
    for (let i = 5; i <= 6; i++) state = step(state, over(0.9), busy(i)).state
    expect(state.get('cpu|')?.level).toBe('critical')
    const after = step(state, over(0.95), busy(7))
    expect([after.transitions, after.state.get('cpu|')?.level, after.state.get('cpu|')?.began]).toEqual([
      [],
      'critical',
      0,
    ])
  })
  it('a watch that cannot be evaluated costs itself, and is named', () => {
    const rotten: DeviceState = new Map([
      ['log|', { lastAt: 0, level: null, began: null, runs: {}, clearRun: null, silent: false, memo: { times: 7 } }],
    ])
    const { broken, transitions } = evaluate(
      rotten,
      [watch('log', 'log-match'), watch('cpu', 'cpu-busy', { hold: 0 })],
      observed(minute, { events: [event(minute)], readings: [['cpu.busy', '', 1]] }),
    )
    expect([broken.map((candidate) => candidate.watch), transitions.map((candidate) => candidate.watch)]).toEqual([
      ['log'],
      ['cpu'],
    ])
  })
})

describe('a log watch with hours', () => {
  const night = (at: number) => at - (at % day) + 2 * hour
  it('remembers what came outside of them: a backup at two in the night is no missing backup at nine', () => {
    const roster = [watch('backup', 'log-absence', { hours: 'Mon–Sun 08:00–20:00', period: day })]
    const monday = Date.UTC(2026, 10, 23)
    const steps = [
      observed(monday + 9 * hour),
      ...[1, 2].flatMap((n) => [
        observed(night(monday + n * day), { events: [event(night(monday + n * day))] }),
        observed(monday + n * day + 9 * hour),
        observed(monday + n * day + 19 * hour),
      ]),
    ]
    expect(run(roster, steps).short).toEqual([])
    expect(
      run(roster, [...steps, observed(monday + 3 * day + 9 * hour)]).transitions.map((transition) => transition.kind),
    ).toEqual(['raised'])
  })
})

describe('a service', () => {
  const roster = [watch('services', 'service-state', { hold: 0, 'clear.hold': 0 })]
  const at = (minutes: number, ...services: Service[]) => observed(minutes * minute, { facts: { services } })
  it('that has failed is a fault whatever starts it; stopped again, it is none', () => {
    expect(
      run(roster, [at(1, service('nightly', 'failed', 'on-demand')), at(2, service('nightly', 'stopped', 'on-demand'))])
        .short,
    ).toEqual(['1 services|nightly raised critical', '2 services|nightly cleared well'])
  })
  it('that its own condition keeps from starting is no fault', () => {
    expect(run(roster, [at(1, service('getty@tty1', 'skipped'))]).short).toEqual([])
  })
  it('is told by its name, which is what one types, and not by its long description', () => {
    const nginx: Service = {
      name: 'nginx',
      title: 'A high performance web server and a reverse proxy server',
      start: 'automatic',
      state: 'failed',
    }
    expect(run(roster, [at(1, nginx)]).transitions[0]!.evidence?.text).toBe('nginx has failed')
  })
})

describe('package lists', () => {
  it('that are old, or were never fetched, can be watched; where nobody tells, nothing is said', () => {
    const roster = [
      watch('u', 'updates', { security: 'nothing', other: 'nothing', lists: 'warning', 'lists.after': 7 * day }),
    ]
    const updates = (listsAt?: number | null) =>
      observed(30 * day, {
        facts: {
          updates: {
            security: 0,
            other: 0,
            leftover: 0,
            oldestSecurityAt: null,
            oldestOtherAt: null,
            restartPending: false,
            checkedAt: 0,
            names: [],
            ...(listsAt === undefined ? {} : { listsAt }),
          },
        },
      })
    expect(
      [updates(22 * day), updates(24 * day), updates(null), updates()].map((given) => run(roster, [given]).short),
    ).toEqual([['43200 u|lists raised warning'], [], ['43200 u|lists raised warning'], []])
  })
})

describe('a rule as a sentence', () => {
  it('names a log, or any', () => {
    expect(sentenceText(watchKind('log-match').sentence(watch('l', 'log-match').values))).toMatch(
      /^In any log, when an entry from any source appears once/,
    )
    expect(
      sentenceText(watchKind('log-match').sentence(watch('l', 'log-match', { channel: 'System' }).values)),
    ).toMatch(/^In the System log, /)
  })
  it('reads as one', () => {
    expect(
      sentenceText(watchKind('disk-space').sentence(watch('d', 'disk-space', { except: ['/boot*'] }).values)),
    ).toBe(
      'On every fixed disk except /boot*, when free space is below 10 % and below 20 GB for 15 min, raise warning; below 5 % and below 10 GB, critical; clear above 12 % or 24 GB for 5 min.',
    )
    const onDisks = (values: Values) =>
      sentenceText(watchKind('disk-space').sentence(watch('d', 'disk-space', values).values)).split(', when')[0]
    expect([
      onDisks({ disks: ['D:'] }),
      onDisks({ disks: ['C:', 'D:'] }),
      onDisks({ disks: ['D:'], media: 'fixed or removable' }),
    ]).toEqual(['On disk D:', 'On disks C:, D:', 'On disk D: (fixed or removable)'])
    expect(sentenceText(watchKind('silence').sentence(watch('s', 'silence').values))).toBe(
      'When the device is silent for 5 min, raise critical; clear when it reports again.',
    )
  })
})
