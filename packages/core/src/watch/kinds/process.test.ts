import { describe, expect, it } from 'vitest'
import type { Reading } from '../../series'
import { minute } from '../../units'
import { evaluate, type DeviceState } from '../evaluate'
import type { WatchInForce } from '../inForce'
import type { Values } from '../parameter'
import { sentenceText } from '../sentence'
import { processAsked, watchKind } from './index'

const watch = (values: Values): WatchInForce => ({
  key: 'w',
  kind: 'process',
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind('process').parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})

interface Look {
  count: number
  cpu?: number
  most?: number
  memory?: number
}
const readingsOf = ({ count, cpu, most, memory = 0 }: Look, name: string): Reading[] => [
  ['process.count', name, count],
  ...(cpu === undefined
    ? []
    : ([
        ['process.cpu', name, cpu],
        ['process.cpu.most', name, most ?? cpu],
      ] satisfies Reading[])),
  ['process.memory', name, memory],
  ['process.memory.most', name, memory],
]

/** What it says of looks a minute apart; null: the agent tells nothing of it. */
function said(values: Values, looks: readonly (Look | null)[], name = 'nginx'): string[] {
  let state: DeviceState = new Map()
  return looks.flatMap((look, i) => {
    const at = 1e9 + i * minute
    const found = evaluate(state, [watch({ name: 'nginx', ...values })], {
      at,
      heardAt: at,
      interval: minute,
      zone: 'UTC',
      readings: look ? readingsOf(look, name) : [],
      events: [],
      failed: [],
      facts: {},
    })
    expect(found.broken).toEqual([])
    state = found.state
    return found.transitions.map(
      ({ kind, to, evidence }) => `${i + 1}: ${kind} ${to ?? 'well'}; ${evidence?.text ?? ''}`,
    )
  })
}
const times = <T>(count: number, value: T): T[] => Array.from({ length: count }, () => value)

describe('how many run', () => {
  it('one that does not run is told after three checks in a row, and clears after three good ones', () => {
    expect(
      said({}, [...times(2, { count: 0 }), { count: 1 }, ...times(3, { count: 0 }), ...times(3, { count: 2 })]),
    ).toEqual(['6: raised critical; nginx does not run', '9: cleared well; nginx: 2 run'])
  })
  it('one that must not run', () => {
    expect(said({ least: null, most: 0, checks: 1 }, [{ count: 0 }, { count: 1 }])).toEqual([
      '2: raised critical; nginx: 1 runs, and none should',
    ])
  })
  it('too few, and too many', () => {
    const between = { least: 2, most: 4, checks: 1 }
    expect(said(between, [{ count: 1 }, { count: 3 }, { count: 5 }])).toEqual([
      '1: raised critical; nginx: 1 runs, and at least 2 should',
      '2: cleared well; nginx: 3 run',
      '3: raised critical; nginx: 5 run, and at most 4 should',
    ])
  })
  it('what is not told is neither running nor stopped', () => {
    expect(said({ checks: 1 }, times(9, null))).toEqual([])
    expect(said({ checks: 1 }, times(3, { count: 0 }), 'another')).toEqual([])
    const open = said({ checks: 1 }, [{ count: 0 }, ...times(9, null)])
    expect(open.map((line) => line.split(';')[0])).toEqual(['1: raised critical', '4: silent critical'])
  })
  it('a watch that names nothing asks nothing of anybody', () => {
    expect(processAsked('process', watch({ name: ' ' }).values)).toBeNull()
    expect(processAsked('cpu-busy', watch({ name: 'x' }).values)).toBeNull()
    expect(processAsked('process', watch({ name: 'x', user: 'app' }).values)).toEqual({
      name: 'x',
      path: '',
      arguments: '',
      user: 'app',
    })
    expect(said({ name: '' }, times(3, { count: 0 }), '')).toEqual([])
  })
})

describe('what they use', () => {
  it('the busiest of them, in shares of a core', () => {
    expect(
      said({ cpu: 0.9, checks: 2 }, [
        ...times(2, { count: 4, cpu: 1.2, most: 0.5 }),
        ...times(2, { count: 4, cpu: 2.4, most: 0.99 }),
      ]),
    ).toEqual(['4: raised warning; nginx: one of them uses 99 % of a core'])
  })
  it('all of them together', () => {
    const together = { cpu: 2, memory: 4e9, of: 'all of them together', checks: 1 }
    expect(
      said(together, [
        { count: 4, cpu: 2.4, most: 0.9 },
        { count: 4, cpu: 1, memory: 5e9 },
      ]),
    ).toEqual(['1: raised warning; nginx: 4 together use 240 % of a core'])
  })
  it('before its CPU is known it is not well, and nothing is told', () => {
    expect(said({ cpu: 0.9, checks: 1 }, [{ count: 1 }, { count: 1, cpu: 0.1 }])).toEqual([])
  })
})

describe('as a sentence', () => {
  it.each([
    [
      {},
      'When a process yet to be named does not run in 3 checks in a row, raise critical; clear after as many good ones.',
    ],
    [{ name: 'nginx' }, 'When nginx does not run in 3 checks in a row, raise critical; clear after as many good ones.'],
    [
      { name: 'java', arguments: '*tomcat*', user: 'app', cpu: 0.95 },
      'When java with *tomcat* of user app does not run in 3 checks in a row, raise critical; when one of them uses more than 95 % of a core, raise warning; clear after as many good ones.',
    ],
    [
      { name: 'php-fpm*', least: 2, most: 50, memory: 2e9, of: 'all of them together' },
      'When fewer than 2 or more than 50 of php-fpm* run in 3 checks in a row, raise critical; when all of them together use more than 2 GB of memory, raise warning; clear after as many good ones.',
    ],
    [
      { path: '/opt/*', least: null, most: 0 },
      'When any process at /opt/* runs in 3 checks in a row, raise critical; clear after as many good ones.',
    ],
    [
      { name: 'x', least: null, cpu: 0.5, checks: 5 },
      'When, of x, one of them uses more than 50 % of a core in 5 checks in a row, raise warning; clear after as many good ones.',
    ],
    [{ name: 'x', least: null }, 'Of x, nothing is asked.'],
  ] as [Values, string][])('%j', (values, text) =>
    expect(sentenceText(watchKind('process').sentence(watch(values).values))).toBe(text),
  )
})
