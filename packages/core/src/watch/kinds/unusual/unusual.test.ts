import { describe, expect, it } from 'vitest'
import type { Reading } from '../../../series'
import { day, minute, type Millis } from '../../../units'
import { nothingUsual, usualKey, type Usual } from '../../../usual'
import { evaluate, type DeviceState } from '../../evaluate'
import type { WatchInForce } from '../../inForce'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { watchKind } from '../index'

const watch = (kind: string, values: Values): WatchInForce => ({
  key: 'w',
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})
/** Noon of a Monday, in UTC. */
const start = Date.UTC(2026, 9, 5, 12)
const flat = (middle: number, spread: number, more: Partial<Usual> = {}): Usual => ({
  ...nothingUsual('UTC', 0),
  beganAnew: null,
  days: 30,
  middle: new Float32Array(168).fill(middle),
  spread: new Float32Array(168).fill(spread),
  ...more,
})

/** Looks at one value each five minutes. @returns what it told, with the minute, and whether anything is remembered */
function told(
  kind: string,
  values: Values,
  usual: Usual | null | undefined,
  looks: readonly (number | null)[],
  state: DeviceState = new Map(),
): { said: string[]; state: DeviceState } {
  const { usual: metric, choosing } = watchKind(kind)
  const instance = choosing ? 'sda' : ''
  const said: string[] = []
  looks.forEach((value, i) => {
    const at: Millis = start + i * 5 * minute
    const found = evaluate(state, [watch(kind, values)], {
      at,
      heardAt: at,
      interval: 5 * minute,
      zone: 'UTC',
      readings: value === null ? [] : [[metric!, instance, value] as Reading],
      events: [],
      failed: [],
      facts: {},
      ...(usual === undefined ? {} : { usual: new Map(usual ? [[usualKey(metric!, instance), usual]] : []) }),
    })
    expect(found.broken).toEqual([])
    state = found.state
    for (const { kind: became, to, evidence } of found.transitions)
      said.push(`${(at - start) / minute}: ${[became, to].filter(Boolean).join(' ')}; ${evidence?.text ?? ''}`)
  })
  return { said, state }
}
const times = (count: number, value: number) => Array<number>(count).fill(value)

describe('unusual for this device', () => {
  const usual = flat(0.2, 0.02)
  it('is told once the mean over its duration lies beyond what is usual, and clears well within it', () => {
    const { said, state } = told('unusual-cpu', {}, usual, [...times(4, 0.2), ...times(20, 0.5), ...times(30, 0.2)])
    expect(said).toEqual([
      '80: raised notice; CPU busy 50 %, mean over 1 h; usual at this hour is 20 %, and up to 32 %',
      expect.stringMatching(/^\d+: cleared; CPU busy/),
    ])
    expect(state.size).toBe(0)
  })
  it('a spike is not told, and as usual nothing is remembered', () => {
    expect(told('unusual-cpu', {}, usual, times(40, 0.25)).state.size).toBe(0)
    const spike = told('unusual-cpu', {}, usual, [0.2, 0.9, 0.9, ...times(20, 0.2)])
    expect([spike.said, spike.state.size]).toEqual([[], 0])
  })
  it('less is told where less is asked for, and of what is scarce', () => {
    const looks = times(20, 0.02)
    expect(told('unusual-cpu', {}, usual, looks).said).toEqual([])
    expect(told('unusual-cpu', { direction: 'less' }, usual, looks).said[0]).toMatch(
      /^60: raised notice; CPU busy 2 %, mean over 1 h; usual at this hour is 20 %, and down to 8 %$/,
    )
    expect(told('unusual-cpu', { direction: 'either' }, usual, looks).said[0]).toMatch(/from 8 % to 32 %$/)
    const memory = told('unusual-memory', {}, flat(8e9, 0.1e9), times(20, 2e9)).said
    expect(memory).toEqual([
      '60: raised notice; Memory available 2 GB, mean over 1 h; usual at this hour is 8 GB, and down to 6 GB',
    ])
  })
  it('by sensitivity, and by at least a share of what is usual', () => {
    const looks = times(20, 0.3)
    expect(told('unusual-cpu', {}, usual, looks).said).toEqual([])
    expect(told('unusual-cpu', { sensitivity: 'high' }, usual, looks).said).toHaveLength(1)
    expect(told('unusual-cpu', { sensitivity: 'high', least: 0.6 }, usual, looks).said).toEqual([])
  })
  it('while it learns nothing is told; where its past is not known nothing is said at all', () => {
    const young = flat(0.2, 0.02, { days: 12 })
    expect(told('unusual-cpu', {}, young, times(20, 0.9))).toEqual({ said: [], state: new Map() })
    expect(told('unusual-cpu', {}, null, times(20, 0.9)).said).toEqual([])
    const raised = told('unusual-cpu', {}, usual, times(20, 0.9)).state
    // Three looks later nobody knows any more how it is: it keeps its level, and counts as silent.
    const later = told('unusual-cpu', {}, undefined, [...times(13, 0.9), ...times(8, 0.2)], raised)
    expect(later.said.filter((text) => text.includes('cleared'))).toEqual([])
    const [seen] = watchKind('unusual-cpu').observe(
      watch('unusual-cpu', {}).values,
      {
        at: start,
        heardAt: start,
        interval: minute,
        zone: 'UTC',
        readings: [['cpu.busy', '', 0.9]],
        facts: {},
        events: [],
        failed: [],
        usual: new Map([[usualKey('cpu.busy', ''), young]]),
      },
      () => undefined,
    )
    expect([seen!.failing, seen!.well, seen!.evidence().text]).toEqual([
      [],
      false,
      'CPU busy 90 %: learning, 9 days to go',
    ])
  })
  it('what is accepted as usual, or said to be, clears', () => {
    const raised = told('unusual-cpu', {}, usual, times(20, 0.9)).state
    const anew = nothingUsual('UTC', start - 2 * day)
    const later = Array<number | null>(20).fill(null)
    const { said } = told('unusual-cpu', {}, anew, [...later, ...times(6, 0.9)], raised)
    expect(said.at(-1)).toMatch(/: cleared; CPU busy 90 %, as it has been for 2 d.*: learning, 21 days to go$/)
  })
  it('of several drives each is judged by its own past', () => {
    const { said } = told('unusual-latency', {}, flat(5, 1), times(20, 40))
    expect(said).toEqual([
      '60: raised notice; sda: Drive latency 40 ms, mean over 1 h; usual at this hour is 5 ms, and up to 11 ms',
    ])
  })
  it('after a gap the mean begins anew', () => {
    const gap = Array<null>(12).fill(null)
    const { said } = told('unusual-cpu', {}, usual, [...times(11, 0.9), ...gap, ...times(11, 0.9)])
    expect(said.filter((text) => text.includes('raised'))).toEqual([])
  })
  it('reads as a sentence', () => {
    const sentence = (kind: string, values: Values = {}) =>
      sentenceText(watchKind(kind).sentence(watch(kind, values).values))
    expect(sentence('unusual-cpu')).toBe(
      'When the CPU busy is more than usual at that hour of the week, for 1 h and by at least 25 %, with medium sensitivity after 21 days of training, raise notice; clear when it has been as usual for 15 min.',
    )
    expect(sentence('unusual-latency', { drives: ['sd*'], except: ['sdz'], direction: 'either' })).toMatch(
      /^When the latency of drive sd\* except sdz is more or less than usual at that hour of the week, /,
    )
  })
})
