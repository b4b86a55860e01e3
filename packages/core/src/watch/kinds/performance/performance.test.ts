import fc from 'fast-check'
import { max, mean, min } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import type { Facts } from '../../../estate'
import type { Reading } from '../../../series'
import { hour, minute, second, type Millis } from '../../../units'
import { evaluate, type DeviceState, type PostTransition } from '../../evaluate'
import type { WatchInForce } from '../../inForce'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { tryChoice } from '../../choosing'
import { watchKind } from '../index'
import { nextSpan, type SpanMemo } from './span'

const watch = (kind: string, values: Values = {}): WatchInForce => ({
  key: 'w',
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})
const sentenceOf = (kind: string, values: Values = {}) => {
  const { values: all } = watch(kind, values)
  return sentenceText(watchKind(kind).sentence(all))
}
const start = 1000 * hour

/** Looks at readings, a minute apart unless they say otherwise; what it told, with the minute of each. */
function told(
  kind: string,
  values: Values,
  looks: readonly (readonly Reading[] | { after: Millis; readings: readonly Reading[] } | null)[],
  facts: Facts = {},
): { said: string[]; state: DeviceState } {
  let state: DeviceState = new Map()
  const transitions: PostTransition[] = []
  let at = start
  for (const look of looks) {
    const { after, readings } = look && 'after' in look ? look : { after: minute, readings: look ?? [] }
    at += after
    const found = evaluate(state, [watch(kind, values)], {
      at,
      heardAt: at,
      interval: minute,
      zone: 'UTC',
      readings,
      events: [],
      failed: [],
      facts,
      ...(look ? {} : { rested: ['performance', 'network'] }),
    })
    expect(found.broken).toEqual([])
    state = found.state
    transitions.push(...found.transitions)
  }
  const said = transitions.map(
    ({ at, kind, to, instance, evidence }) =>
      `${(at - start) / minute}: ${[kind, to, instance].filter(Boolean).join(' ')}; ${evidence?.text ?? ''}`,
  )
  return { said, state }
}
const cpu = (...shares: (number | null)[]) =>
  shares.map((share): Reading[] | null => (share === null ? null : [['cpu.busy', '', share]]))
const times = <T>(count: number, value: T): T[] => Array.from({ length: count }, () => value)

describe('a gauge judged by its last value', () => {
  it('must hold; one good look begins anew', () => {
    const { said } = told('cpu-busy', { hold: 3 * minute, 'clear.hold': minute }, [
      ...cpu(0.96, 0.96, 0.96, 0.5, 0.96, 0.96, 0.96, 0.98, 0.2, 0.2),
    ])
    expect(said).toEqual(['8: raised notice; CPU busy 98 %', '10: cleared; CPU busy 20 %'])
  })
  it('remembers nothing while it is well', () => {
    expect(told('cpu-busy', {}, cpu(0.1, 0.2, 0.3)).state.size).toBe(0)
  })
})

describe('a gauge judged by what a span comes to', () => {
  const over = (by: string, more: Values = {}) => ({
    by,
    span: 5 * minute,
    notice: null,
    warning: 0.8,
    critical: 0.95,
    clear: 0.7,
    'clear.hold': 0,
    ...more,
  })
  it('by its mean: no quiet moment interrupts it, no hold is waited for, and it is judged once the span is whole', () => {
    const { said } = told('cpu-busy', over('mean'), cpu(1, 1, 1, 1, 1, 0.1, 0.1, 0.1, 0.1, 0.1))
    expect(said).toEqual([
      '6: raised warning; CPU busy 82 %, mean over 5 min',
      '7: cleared; CPU busy 64 %, mean over 5 min',
    ])
  })
  it('by its maximum: one look is enough, at once, and it is well when the last bad one lies behind', () => {
    const { said } = told('cpu-busy', over('maximum'), cpu(0.1, 0.1, 0.9, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1))
    expect(said).toEqual([
      '3: raised warning; CPU busy 90 %, maximum over 5 min',
      '8: cleared; CPU busy 10 %, maximum over 5 min',
    ])
  })
  it('by its minimum: every look of the span must be bad', () => {
    const { said } = told('cpu-busy', over('minimum'), cpu(0.9, 0.9, 0.9, 0.1, ...times(5, 0.9), 0.1))
    expect(said).toEqual([
      '9: raised warning; CPU busy 90 %, minimum over 5 min',
      '10: cleared; CPU busy 10 %, minimum over 5 min',
    ])
  })
  it('by its share of time: now and then is not often, and often is', () => {
    const often = over('share of time', { share: 0.6 })
    expect(told('cpu-busy', often, cpu(...times(6, 0.1), 0.9, 0.1, 0.1, 0.9, 0.1, 0.1, 0.9)).said).toEqual([])
    expect(told('cpu-busy', often, cpu(...times(6, 0.1), 0.9, 0.1, 0.9, 0.1, 0.9, 0.1, 0.1)).said).toEqual([
      '11: raised warning; CPU busy above 80 % for 60 % of 5 min',
      '12: cleared; CPU busy above 80 % for 40 % of 5 min',
    ])
  })
  it('what is bad already is told before the span is whole; that all is well is not', () => {
    expect(told('cpu-busy', over('share of time', { share: 0.6 }), cpu(1, 1, 1, 1)).said).toEqual([
      '4: raised critical; CPU busy above 95 % for 60 % of 5 min',
    ])
    expect(told('cpu-busy', over('mean'), cpu(1, 1, 1, 1)).said).toEqual([])
  })
  it('of scarce things the least is the worst, and shares are of the whole', () => {
    const left = (share: number): Reading[] => [
      ['memory.size', '', 16e9],
      ['memory.available', '', share * 16e9],
    ]
    const values = { by: 'minimum', span: 5 * minute, warning: 0.08, critical: 0.03, clear: 0.12, 'clear.hold': 0 }
    expect(told('memory-available', values, [left(0.5), left(0.05), ...times(6, left(0.5))]).said).toEqual([
      '2: raised warning; Memory available 5 %, minimum over 5 min',
      '7: cleared; Memory available 50 %, minimum over 5 min',
    ])
  })
  it('a gap neither raises nor clears, nor does a pause: it begins anew, and says nothing of that', () => {
    const gap = { after: hour, readings: cpu(0.1)[0]! }
    const raised = [...cpu(...times(6, 0.9))]
    expect(told('cpu-busy', over('mean'), [...raised, gap, ...cpu(0.1, 0.1, 0.1, 0.1)]).said).toHaveLength(1)
    expect(told('cpu-busy', over('mean'), [...raised, gap, ...cpu(...times(5, 0.1))]).said[1]).toMatch(/^71: cleared/)
    const quiet = told('cpu-busy', over('mean'), [...cpu(...times(6, 0.1)), ...times(9, null), ...cpu(0.1)])
    expect(quiet.said).toEqual([])
  })
  it('under another span or another way of judging, what was remembered counts no more', () => {
    const values = { ...watch('cpu-busy', over('mean')).values }
    const look = (state: DeviceState, at: Millis, changed: Values) =>
      evaluate(state, [{ ...watch('cpu-busy'), values: { ...values, ...changed } }], {
        at,
        heardAt: at,
        interval: minute,
        zone: 'UTC',
        readings: [['cpu.busy', '', 1]],
        events: [],
        failed: [],
        facts: {},
      })
    let state: DeviceState = new Map()
    for (let i = 0; i < 6; i++) state = look(state, start + i * minute, { warning: null, critical: null }).state
    expect(look(state, start + 6 * minute, { warning: 0.5 }).transitions).toEqual([])
  })

  const span = 15 * minute
  it.each([
    ['mean', mean],
    ['maximum', max],
    ['minimum', min],
  ] as const)('%s is that of simple-statistics over the looks of the span', (by, reference) =>
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 16, maxLength: 80 }), (values) => {
        let memo: SpanMemo | undefined
        values.forEach((value, i) => {
          const seen = nextSpan(memo, { at: start + i * minute, value }, { by, span, gap: 3 * minute }, () => [])
          memo = seen.memo
          expect(seen.isWhole).toBe(i >= 15)
          if (i >= 15) expect(seen.figures![0]).toBeCloseTo(reference(values.slice(i - 14, i + 1)), 9)
        })
      }),
    ),
  )
  it('looks that come unevenly weigh the time since the one before', () => {
    let memo: SpanMemo | undefined
    let seen
    for (const [after, value] of [
      [0, 0],
      [60, 0],
      [60, 0],
      [30, 100],
      [30, 100],
      [10, 100],
      [50, 0],
      [60, 0],
    ] as const) {
      const at: Millis = (memo?.at ?? start) + after * second
      seen = nextSpan(memo, { at, value }, { by: 'mean', span: 5 * minute, gap: 150 * second }, () => [])
      memo = seen.memo
    }
    // 70 of 300 seconds.
    expect(seen!.figures![0]).toBeCloseTo((100 * 70) / 300, 9)
  })
  it('remembers no more of a day than of an hour', () => {
    let memo: SpanMemo | undefined
    for (let i = 0; i < 3000; i++)
      memo = nextSpan(
        memo,
        { at: start + i * minute, value: i % 7 },
        { by: 'mean', span: 24 * hour, gap: 3 * minute },
        () => [],
      ).memo
    expect(memo!.parts.length).toBeLessThanOrEqual(60)
    expect(JSON.stringify(memo).length).toBeLessThan(2500)
  })
})

describe('drives, links and sensors, each by itself', () => {
  const latency = (...list: [string, number][]) => list.map(([name, ms]): Reading => ['io.latency', name, ms])
  const facts: Facts = { blocks: ['sda', 'sdb'], sensors: [{ name: 'coretemp', critical: 100 }] }
  it('one that is slow is told by its name, and the others are well', () => {
    const { said } = told('drive-latency', { hold: minute }, times(3, latency(['sda', 2], ['sdb', 62.34])), facts)
    expect(said).toEqual(['2: raised warning sdb; sdb: drive latency 62.3 ms'])
  })
  it('those that are left out are not looked at; one that is no longer there clears, one that is not told of does not', () => {
    const slow = times(2, latency(['sdb', 300]))
    const values = { hold: 0, 'clear.hold': 0 }
    expect(told('drive-latency', { ...values, except: ['sd[!a]', 'sdb'] }, slow, facts).said).toEqual([])
    const gone = [...slow, latency(['sda', 1]), latency(['sda', 1])]
    expect(told('drive-latency', values, gone, { blocks: ['sda'] }).said.at(-1)).toMatch(/cleared sdb/)
    expect(told('drive-latency', values, gone, {}).said).toEqual(['1: raised critical sdb; sdb: drive latency 300 ms'])
  })
  it('a link by its speed, in the words links are sold by', () => {
    const load = (share: number): Reading[] => [['net.load', 'eth0', share]]
    const links = { links: [{ name: 'eth0', speed: 1e9 }] }
    expect(told('link-load', { hold: 0 }, [load(0.75), load(0.93)], links).said).toEqual([
      '1: raised warning eth0; eth0: link load 75 % of 1 Gbit/s',
      '2: changed critical eth0; eth0: link load 93 % of 1 Gbit/s',
    ])
  })
  it('traffic is that of the busier direction', () => {
    const traffic = (received: number, sent: number): Reading[] => [
      ['net.received', 'eth0', received],
      ['net.sent', 'eth0', sent],
    ]
    expect(told('link-traffic', { hold: 0 }, [traffic(1e6, 2e6), traffic(3e6, 120e6)]).said).toEqual([
      '2: raised warning eth0; eth0: link traffic 120 MB/s',
    ])
  })
  it('a sensor says where it becomes dangerous', () => {
    expect(told('temperature', { hold: 0 }, [[['temperature', 'coretemp', 88.5]]], facts).said).toEqual([
      '1: raised warning coretemp; coretemp: temperature 88.5 °C; dangerous from 100 °C by its own word',
    ])
  })
  it('a busy CPU says how much of it the host took', () => {
    const stolen: Reading[] = [...cpu(1)[0]!, ['cpu.steal', '', 0.41]]
    expect(told('cpu-busy', { hold: 0 }, [stolen]).said).toEqual([
      '1: raised critical; CPU busy 100 %; 41 % were taken by the host',
    ])
  })
  it('a device’s own list is there to pick from', () => {
    const { values } = watch('drive-latency', { drives: ['sd*'], except: ['sdb'] })
    expect(tryChoice(watchKind('drive-latency').choosing!, values, facts)).toEqual([
      { name: 'sda', title: '', in: true },
      { name: 'sdb', title: '', in: false },
    ])
    expect(watchKind('link-load').choosing!.of({ links: [{ name: 'ens3' }] })).toEqual([
      { name: 'ens3', title: 'its speed is not told' },
    ])
  })
})

describe('as sentences', () => {
  it.each([
    [
      'cpu-busy',
      {},
      'When the CPU is above 95 % for 15 min, raise notice; above 97 %, warning; above 99 %, critical; clear below 90 % for 5 min.',
    ],
    [
      'cpu-busy',
      { by: 'mean', span: hour, notice: null, critical: null },
      'When the CPU is, by its mean over 1 h, above 97 %, raise warning; clear below 90 % for 5 min.',
    ],
    [
      'memory-available',
      { by: 'share of time', share: 0.25 },
      'When memory available is, for 25 % of 15 min, below 8 %, raise warning; below 3 %, critical; clear above 12 % for 5 min.',
    ],
    [
      'drive-latency',
      { except: ['sr*'] },
      'When the latency of every drive except sr* is above 50 ms for 15 min, raise warning; above 200 ms, critical; clear below 30 ms for 5 min.',
    ],
    [
      'link-traffic',
      { interfaces: ['eth0', 'eth1'] },
      'When the traffic of interfaces eth0, eth1 is above 100 MB a second for 15 min, raise warning; clear below 80 MB a second for 5 min.',
    ],
    [
      'temperature',
      { warning: null, critical: null },
      'When the temperature of every sensor is at any level, nothing is asked; clear below 75 °C for 5 min.',
    ],
  ] as [string, Values, string][])('%s %j', (kind, values, text) => expect(sentenceOf(kind, values)).toBe(text))
})
