import { describe, expect, it } from 'vitest'
import { day, hour, minute, second, type Millis } from '../../units'
import { evaluate, type DeviceState } from '../evaluate'
import type { WatchInForce } from '../inForce'
import type { Observed } from '../kind'
import type { Values } from '../parameter'
import { sentenceText } from '../sentence'
import { watchKind } from './index'

const watch = (kind: string, values: Values = {}): WatchInForce => ({
  key: 'w',
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})

/** What a kind says of looks, each `every` after the one before. */
function said(kind: string, values: Values, looks: readonly Partial<Observed>[], every: Millis = minute): string[] {
  let state: DeviceState = new Map()
  return looks.flatMap((look, i) => {
    const at = 1e12 + i * every
    const found = evaluate(state, [watch(kind, values)], {
      at,
      heardAt: at,
      interval: every,
      zone: 'UTC',
      readings: [],
      events: [],
      failed: [],
      facts: {},
      ...look,
    })
    expect(found.broken).toEqual([])
    state = found.state
    return found.transitions.map((told) => `${i}: ${told.kind} ${told.to ?? 'well'}; ${told.evidence?.text ?? ''}`)
  })
}
const times = <T>(count: number, value: T): T[] => Array.from({ length: count }, () => value)

describe('a clock that is off', () => {
  const off = (length: Millis) => ({ clockOffset: length })
  it('is told when it lasts, which way and by how much; what is not known is not right', () => {
    expect(said('clock-off', {}, [...times(12, off(-3 * minute)), ...times(2, {}), off(40 * second), off(0)])).toEqual([
      '10: raised warning; its clock is 3 min behind',
      '15: cleared well; its clock is right',
    ])
    expect(said('clock-off', { hold: 0 }, [off(hour)])).toEqual(['0: raised critical; its clock is 1 h ahead'])
  })
  it('reads as a sentence', () =>
    expect(sentenceText(watchKind('clock-off').sentence(watch('clock-off').values))).toBe(
      'When its clock is more than 60 s off for 10 min, raise warning; more than 5 min, critical; clear below 30 s.',
    ))
})

describe('reports that are lost', () => {
  it('are told at once and added up, until none was for a day', () => {
    expect(said('reports-lost', {}, [{}, { lost: 3 }, {}, { lost: 2 }, ...times(24, {}), {}], hour)).toEqual([
      '1: raised warning; 3 reports of its agent were lost for good',
      '27: cleared well; no report is lost any more',
    ])
  })
  it('of an agent that lost none nothing is kept', () => {
    const found = evaluate(new Map(), [watch('reports-lost')], {
      at: 1,
      heardAt: 1,
      interval: minute,
      zone: 'UTC',
      readings: [],
      events: [],
      failed: [],
      facts: {},
      lost: 0,
    })
    expect(found.state.size).toBe(0)
  })
})

describe('a machine that was started anew', () => {
  const up = (length: Millis): Partial<Observed> => ({ readings: [['uptime', '', length / second]] })
  it('is told for a while, since it started', () => {
    expect(said('restarted', {}, [up(9 * day), up(2 * minute), up(29 * minute), up(31 * minute)])).toEqual([
      '1: raised warning; started 2 min before',
      '3: cleared well; up for 31 min',
    ])
    expect(said('restarted', {}, [{}, {}])).toEqual([])
  })
  it('for long is not', () => {
    const values = { notice: 30 * day, critical: 90 * day }
    expect(said('up-for-long', values, [up(29 * day), up(31 * day), up(91 * day), up(hour)])).toEqual([
      '1: raised notice; up for 31 d',
      '2: changed critical; up for 91 d',
      '3: cleared well; up for 1 h',
    ])
    expect(said('up-for-long', { notice: null }, [up(999 * day)])).toEqual([])
  })
  it.each([
    ['restarted', {}, 'When the machine was started within the last 30 min, raise warning; clear after that.'],
    [
      'up-for-long',
      { warning: 180 * day },
      'When the machine was not started anew for longer than 90 days, raise notice; longer than 180 days, warning; clear after a restart.',
    ],
  ] as [string, Values, string][])('%s reads as a sentence', (kind, values, text) =>
    expect(sentenceText(watchKind(kind).sentence(watch(kind, values).values))).toBe(text),
  )
})

describe('an agent that is behind', () => {
  const of = (agentVersion: string, offered?: string) => ({
    facts: { system: { agentVersion } } as never,
    ...(offered === undefined ? {} : { offered }),
  })
  it('is told after its time, once, and clears with the update', () => {
    const looks = [of('0.9.0', '0.10.0'), of('0.9.0', '0.10.0'), of('0.9.0', '0.11.0'), of('0.11.0', '0.11.0')]
    expect(said('agent-behind', { after: 2 * day }, looks, day)).toEqual([
      '2: raised notice; its agent is 0.9.0, and 0.11.0 has been there for 2 d',
      '3: cleared well; its agent is 0.11.0, as those of new machines',
    ])
  })
  it.each([
    ['as new as it gets', of('0.10.0', '0.10.0')],
    // Of a house that tries versions beforehand; rule 11 orders numbers as such.
    ['newer', of('0.10.1', '0.10.0')],
    ['nobody knows what new machines get', of('0.9.0')],
    ['it has told nothing of itself', { facts: {}, offered: '0.10.0' }],
  ])('%s: nothing is told', (_what, look) => {
    expect(said('agent-behind', { after: day }, [look, look, look], day)).toEqual([])
  })
  it('reads as a sentence', () => {
    const { kind, values } = watch('agent-behind')
    expect(sentenceText(watchKind(kind).sentence(values))).toBe(
      'When its agent has been older than the one that new machines get for 14 days, raise notice; clear once it is not.',
    )
  })
})
