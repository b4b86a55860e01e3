import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { evaluate, type DeviceState, type PostTransition } from './evaluate'
import type { WatchInForce } from './inForce'
import { collectors, type Collector, type Recorded } from './kind'
import { watchKind, watchKinds } from './kinds'
import type { Values } from './parameter'
import { collectorOf, isReplayable, replay } from './replay'
import type { DiskDays, MetricName, Reading } from '../series'
import { day, gigabyte, hour, minute, second, type Millis } from '../units'

const inForce = (key: string, kind: string, values: Values = {}): WatchInForce => ({
  key,
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
    ...values,
  },
})
interface Report {
  at: Millis
  readings: Reading[]
}

function recordedOf(reports: readonly Report[]): Recorded {
  const columns = new Map<string, { metric: MetricName; instance: string; at: Millis[]; value: number[] }>()
  for (const { at, readings } of reports)
    for (const [metric, instance, value] of readings) {
      const key = `${metric}|${instance}`
      const into = columns.get(key) ?? { metric: metric as MetricName, instance, at: [], value: [] }
      into.at.push(at)
      into.value.push(value)
      columns.set(key, into)
    }
  return {
    times: Float64Array.from(reports, ({ at }) => at),
    series: [...columns.values()].map(({ metric, instance, at, value }) => ({
      metric,
      instance,
      samples: { at: Float64Array.from(at), value: Float64Array.from(value) },
    })),
  }
}

/** Three weeks in which a little more is used each day, and between 60 and 90 GB are free. */
const fallingDays: DiskDays = {
  at: Array.from({ length: 21 }, (_, i) => Date.UTC(2026, 2, 7 + i)),
  least: Array.from({ length: 21 }, (_, i) => (80 - i) * gigabyte),
  most: Array.from({ length: 21 }, (_, i) => (90 - i) * gigabyte),
}
const around = { interval: minute, zone: 'Europe/Lisbon', facts: {}, days: new Map([['/', fallingDays]]) }

/** Each report by itself, as they come. */
function oneByOne(before: DeviceState, roster: readonly WatchInForce[], reports: readonly Report[]) {
  let state = before
  const transitions: PostTransition[] = []
  for (const { at, readings } of reports) {
    const heard = new Set<Collector>(readings.map(([metric]) => collectorOf(metric)))
    const rested = collectors.filter((collector) => !heard.has(collector))
    const found = evaluate(state, roster, { ...around, at, heardAt: at, readings, rested, events: [], failed: [] })
    state = found.state
    transitions.push(...found.transitions)
  }
  return { state, transitions }
}

const part = fc.integer({ min: 0, max: 100 }).map((n) => n / 100)
const optionalPart = fc.option(part, { nil: null })
const hold = fc.constantFrom(0, minute, 5 * minute, 20 * minute)
const hours = fc.constantFrom('', '', '', '08:00–20:00', 'Sat,Sun 22:00–06:00')
const every = fc.constantFrom(null, null, 10 * minute)
const common = { hold, 'clear.hold': hold, hours, every }
const judged = {
  by: fc.constantFrom('last value', 'last value', 'mean', 'maximum', 'minimum', 'share of time'),
  span: fc.constantFrom(minute, 7 * minute, 15 * minute, 2 * hour),
  share: fc.constantFrom(0.2, 0.5, 1),
}
const rosters = fc
  .array(
    fc.oneof(
      fc
        .record({
          notice: optionalPart,
          warning: optionalPart,
          critical: optionalPart,
          clear: part,
          ...common,
          ...judged,
        })
        .chain((values) => fc.constantFrom('cpu-busy', 'memory-available').map((kind) => [kind, values] as const)),
      fc
        .record({ warning: fc.constantFrom(null, 1, 3), clear: fc.constant(1), ...common, ...judged })
        .map((values) => ['load', values] as const),
      fc
        .record({ critical: optionalPart, clear: part, except: fc.constantFrom([], ['sdb']), ...common, ...judged })
        .map((values) => ['drive-busy', values] as const),
      fc
        .record({
          name: fc.constantFrom('nginx', 'other'),
          least: fc.constantFrom(null, 1, 3),
          most: fc.constantFrom(null, 0, 3),
          cpu: optionalPart,
          of: fc.constantFrom('one of them', 'all of them together'),
          checks: fc.constantFrom(1, 2, 5),
          hours,
        })
        .map((values) => ['process', values] as const),
      fc
        .record({
          'warning.percent': optionalPart,
          'warning.bytes': fc.constantFrom(null, 20 * gigabyte, 80 * gigabyte),
          'critical.percent': optionalPart,
          'warning.left': fc.constantFrom(null, null, 20 * day, 50 * day),
          'critical.left': fc.constantFrom(null, null, day),
          'warning.soon': fc.constantFrom(null, null, 40 * day),
          'critical.soon': fc.constantFrom(null, null, day),
          'clear.left': fc.constantFrom(null, 60 * day),
          'clear.percent': optionalPart,
          except: fc.constantFrom([], ['/srv*']),
          ...common,
        })
        .map((values) => ['disk-space', values] as const),
      fc
        .record({ warning: optionalPart, critical: optionalPart, clear: part, ...common })
        .map((values) => ['disk-inodes', values] as const),
      fc
        .record({ names: fc.constantFrom(['*'], ['44*']), hold, hours })
        .map((values) => ['certificate-left', values] as const),
    ),
    { minLength: 1, maxLength: 4 },
  )
  .map((list) => list.map(([kind, values], i) => inForce(`w${i}`, kind, values)))

const steps = fc.array(
  fc.record({
    // Mostly from one report to the next; at times a hole.
    after: fc.oneof({ arbitrary: fc.constant(minute), weight: 12 }, fc.constantFrom(2 * minute, 9 * minute, 7 * hour)),
    cpu: part,
    memory: part,
    sizeKnown: fc.constantFrom(true, true, true, false),
    load: fc.integer({ min: 0, max: 40 }).map((n) => n / 10),
    disk: fc.option(part, { nil: null, freq: 4 }),
    other: fc.option(part, { nil: null, freq: 2 }),
    left: fc.option(fc.integer({ min: -5, max: 40 }), { nil: null, freq: 3 }),
    performs: fc.constantFrom(true, true, true, true, false),
  }),
  { minLength: 1, maxLength: 120, size: 'max' },
)
const reportsOf = (list: typeof steps extends fc.Arbitrary<infer T> ? T : never, start: Millis): Report[] => {
  let at = start
  return list.map((step) => ({
    at: (at += step.after),
    readings: [
      ...(step.performs
        ? ([
            ['cpu.busy', '', step.cpu],
            ...(step.sizeKnown ? ([['memory.size', '', 16 * gigabyte]] as Reading[]) : []),
            ['memory.available', '', step.memory * 16 * gigabyte],
            ['load.5', '', step.load],
            ['io.busy', 'sda', step.cpu],
            ['process.count', 'nginx', Math.round(step.load)],
            ['process.cpu', 'nginx', step.load],
            ['process.cpu.most', 'nginx', step.cpu],
            ...(step.sizeKnown ? ([['io.busy', 'sdb', step.memory]] as Reading[]) : []),
          ] as Reading[])
        : []),
      ...(step.disk === null
        ? []
        : ([
            ['disk.size', '/', 100 * gigabyte],
            ['disk.free', '/', step.disk * 100 * gigabyte],
            ['disk.inodes.free', '/', step.disk],
          ] as Reading[])),
      ...(step.other === null
        ? []
        : ([
            ['disk.size', '/srv', 0],
            ['disk.free', '/srv', step.other],
          ] as Reading[])),
      ...(step.left === null ? [] : [['certificate.left', '443', (step.left * 24 * hour) / second] as Reading]),
    ],
  }))
}
const start = Date.UTC(2026, 2, 28, 20)
describe('much at once', () => {
  it('comes to what each report by itself comes to, whatever the watches and the readings, and goes on from there', () => {
    let raised = 0
    fc.assert(
      fc.property(rosters, steps, steps, (roster, first, second) => {
        const [early, late] = [reportsOf(first, start), reportsOf(second, start + 200 * hour)]
        const [one, all] = [oneByOne(new Map(), roster, early), replay(new Map(), roster, recordedOf(early), around)]
        expect(all.broken).toEqual([])
        expect(all.transitions).toEqual(one.transitions)
        expect(all.state).toEqual(one.state)
        // From what was open then, over a long silence.
        const [oneLater, allLater] = [
          oneByOne(one.state, roster, late),
          replay(all.state, roster, recordedOf(late), around),
        ]
        expect(allLater.transitions).toEqual(oneLater.transitions)
        expect(allLater.state).toEqual(oneLater.state)
        raised += one.transitions.filter(({ kind }) => kind === 'raised').length
      }),
      { numRuns: 150 },
    )
    expect(raised).toBeGreaterThan(50)
  })
  it('leaves what asks more than readings as it was, and a watch that throws costs itself alone', () => {
    const kinds = [...watchKinds.keys()].filter((kind) => isReplayable(inForce('w', kind)))
    expect(kinds.toSorted()).toEqual([
      'certificate-left',
      'counter-bytes',
      'counter-delay',
      'counter-flow',
      'counter-number',
      'counter-rate',
      'counter-share',
      'counter-time',
      'cpu-busy',
      'cpu-steal',
      'cpu-wait',
      'disk-inodes',
      'disk-space',
      'drive-busy',
      'drive-latency',
      'link-load',
      'link-traffic',
      'load',
      'memory-available',
      'open-files',
      'paging',
      'process',
      'restarted',
      'session-count',
      'session-latency',
      'temperature',
      'up-for-long',
    ])
    const reports = [{ at: start, readings: [['cpu.busy', '', 1]] as Reading[] }]
    const silence = new Map([
      ['quiet|', { lastAt: 1, level: 'critical' as const, began: 1, runs: {}, clearRun: null, silent: false }],
    ])
    const roster = [
      inForce('quiet', 'silence'),
      { ...inForce('broken', 'load'), values: null as unknown as Values },
      inForce('cpu', 'cpu-busy', { hold: 0 }),
    ]
    const found = replay(silence, roster, recordedOf(reports), around)
    expect(found.state.get('quiet|')).toEqual(silence.get('quiet|'))
    expect(found.transitions.map(({ watch, to }) => [watch, to])).toEqual([['cpu', 'critical']])
    expect(found.broken.map(({ watch }) => watch)).toEqual(['broken'])
  })
})
