import { describe, expect, it } from 'vitest'
import { counterTroubles, type CountersTold } from '../../../counter'
import type { Facts } from '../../../estate'
import { countersWatched, paceOf, readingsPerDay, type EffectiveWatch } from '../../../policy'
import type { Reading } from '../../../series'
import { day, minute } from '../../../units'
import { watchKind } from '..'
import type { Values } from '../../parameter'
import { parameterFault } from '../../parameter'
import { sentenceText } from '../../sentence'
import { countersAsked } from './program'

const at = Date.UTC(2026, 5, 1, 18)
const valuesOf = (kind: string, values: Values): Values => ({
  ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
  ...values,
})
const nginx = 'http://127.0.0.1/nginx_status'
const told = (more: Partial<CountersTold> = {}): CountersTold => ({
  name: 'nginx',
  from: nginx,
  series: [
    { name: 'nginx: connections', metric: 'counter.number' },
    { name: 'nginx: requests', metric: 'counter.rate' },
  ],
  missing: [],
  ...more,
})
const installed = (name: string): Facts => ({ services: [{ name, title: '', start: 'automatic', state: 'running' }] })
const observed = (facts: Facts, readings: Reading[] = []) => ({
  at,
  interval: minute,
  heardAt: at,
  readings,
  facts,
  events: [],
  failed: [],
  zone: 'UTC',
})
function says(kind: string, facts: Facts, values: Values = {}, readings: Reading[] = []): string[] {
  return watchKind(kind)
    .observe(valuesOf(kind, values), observed(facts, readings), () => undefined)
    .map(({ failing, well, evidence }) => `${failing.at(-1) ?? (well ? 'well' : 'unknown')}: ${evidence().text}`)
}
const sentenceOf = (kind: string, values: Values) => sentenceText(watchKind(kind).sentence(valuesOf(kind, values)))

describe('the counters of a program', () => {
  const program = { program: 'nginx' }
  it.each<[string, Facts, string[]]>([
    ['tells all', { ...installed('nginx'), counters: [told()] }, ['well: nginx tells 4 counters']],
    ['not told yet', installed('nginx'), []],
    ['services not known', { counters: [told()] }, []],
    [
      'its service is stopped, which the watch of services says',
      {
        services: [{ name: 'nginx', title: '', start: 'automatic', state: 'stopped' }],
        counters: [told({ trouble: 'refused' })],
      },
      [],
    ],
    ['is not on this device', { ...installed('sshd'), counters: [told({ trouble: 'refused' })] }, []],
    [
      'does not listen',
      { ...installed('nginx'), counters: [told({ trouble: 'refused', series: [] })] },
      ['warning: nginx does not answer: nothing listens there'],
    ],
    [
      'answers something else',
      { ...installed('nginx'), counters: [told({ trouble: 'status', detail: '404', series: [] })] },
      ['warning: nginx answers 404'],
    ],
    [
      'does not tell one of them any more',
      { ...installed('nginx'), counters: [told({ missing: ['requests'] })] },
      ['warning: nginx does not tell “requests”'],
    ],
    [
      'another watch reads something that is called the same',
      { ...installed('nginx'), counters: [told({ from: 'http://127.0.0.1:81/x' })] },
      [
        'warning: nginx is what others are called, which are read from http://127.0.0.1:81/x: call one of them in another way',
      ],
    ],
  ])('%s', (_, facts, expected) => expect(says('program-counters', facts, program)).toEqual(expected))
  it('each trouble has words, and is never well', () => {
    for (const trouble of counterTroubles) {
      const [text] = says('program-counters', { ...installed('nginx'), counters: [told({ trouble })] }, program)
      expect(text).toMatch(/^warning: nginx /)
    }
  })
  it('where nobody is to be told, trouble is still not well', () => {
    const facts = { ...installed('nginx'), counters: [told({ trouble: 'refused' })] }
    expect(says('program-counters', facts, { ...program, severity: 'nothing' })).toEqual([
      'unknown: nginx does not answer: nothing listens there',
    ])
  })
  it('is gone where the program is not installed any more, or stopped: that the watch of services says', () => {
    const { gone } = watchKind('program-counters')
    const isGone = (facts: Facts) => gone!(valuesOf('program-counters', program), observed(facts), '')
    expect([isGone(installed('nginx')), isGone(installed('sshd')), isGone({})]).toEqual([false, true, false])
    expect(isGone({ services: [{ name: 'nginx', title: '', start: 'automatic', state: 'failed' }] })).toBe(true)
  })
  it('own lines take the place of known ones with the same name, and more can be added', () => {
    const ask = countersAsked(
      'program-counters',
      valuesOf('program-counters', { ...program, counters: ['requests = after "x"', 'more = after "y"'] }),
    )
    expect(ask?.counters).toEqual([
      'connections = after "Active connections:"',
      'waiting = after "Waiting:"',
      'writing = after "Writing:"',
      'requests = after "x"',
      'more = after "y"',
    ])
  })
  it('what says too little asks for nothing', () => {
    const asked = (values: Values) => countersAsked('program-counters', valuesOf('program-counters', values))
    expect(asked({})).toBeNull()
    expect(asked({ called: 'shop', from: '/run/shop.json' })).toBeNull()
    expect(asked({ called: 'shop', counters: ['orders = /orders'] })).toBeNull()
    expect(asked({ called: 'shop', from: '/run/shop.json', counters: ['orders = /orders'] })).toEqual({
      name: 'shop',
      from: '/run/shop.json',
      say: '',
      old: 3_600_000,
      counters: ['orders = /orders'],
    })
  })
  it.each<[Values, string]>([
    [
      program,
      'Of nginx read 4 counters from http://127.0.0.1/nginx_status; when it does not tell them in 3 checks in a row, raise warning; clear after as many good ones.',
    ],
    [
      {
        called: 'shop',
        from: 'unix:/run/shop.sock',
        say: 'stats',
        counters: ['orders = /n'],
        services: ['shop'],
        severity: 'nothing',
      },
      'Of another program, called shop, where shop is installed read 1 counter from unix:/run/shop.sock, asked with stats; when it does not tell them, raise nothing.',
    ],
    [
      {},
      'Of another program read 0 counters from a place yet to be named; when it does not tell them in 3 checks in a row, raise warning; clear after as many good ones.',
    ],
  ])('%j reads as a sentence', (values, sentence) => expect(sentenceOf('program-counters', values)).toBe(sentence))
  it('a line that is none is not taken, and what is wrong with it is said', () => {
    const lines = watchKind('program-counters').parameters.find(({ name }) => name === 'counters')!
    expect(parameterFault(lines, ['a = /b', 'nothing'])).toContain('Write a name, = and where it stands')
    expect(parameterFault(lines, Array<string>(51).fill('a = /b'))).toContain('at most 50 lines')
    expect(parameterFault(lines, 'a = /b')).toContain('needs lines of text')
    const place = watchKind('program-counters').parameters.find(({ name }) => name === 'from')!
    expect(parameterFault(place, 'http://198.51.100.7/')).toContain('another machine')
  })
})

describe('the level of a counter', () => {
  const connections = { counters: ['nginx: connections'], warning: 500 }
  const reading = (value: number): Reading[] => [['counter.number', 'nginx: connections', value]]
  const facts = { counters: [told()] }
  it.each<[string, Values, Reading[], string[]]>([
    ['below it', connections, reading(499), ['well: nginx: connections 499']],
    ['at it', connections, reading(500), ['well: nginx: connections 500']],
    ['above it', connections, reading(501), ['warning: nginx: connections 501']],
    [
      'too few, where that is bad',
      { ...connections, side: 'below', warning: 1 },
      reading(0),
      ['warning: nginx: connections 0'],
    ],
    [
      'enough, where too few is bad',
      { ...connections, side: 'below', warning: 1 },
      reading(1),
      ['well: nginx: connections 1'],
    ],
    [
      'between the level and where it clears',
      { ...connections, clear: 300 },
      reading(400),
      ['unknown: nginx: connections 400'],
    ],
    ['of none that is named', { warning: 1 }, reading(9), []],
    ['of others than those', { counters: ['apache: *'], warning: 1 }, reading(9), []],
    ['not read this time', connections, [], []],
  ])('%s', (_, values, readings, expected) => expect(says('counter-number', facts, values, readings)).toEqual(expected))
  it.each<[string, Facts, boolean]>([
    ['told', facts, false],
    ['not told yet after a start of the agent', {}, false],
    ['its program does not answer', { counters: [told({ trouble: 'refused', series: [] })] }, false],
    ['its line finds nothing any more', { counters: [told({ series: [], missing: ['connections'] })] }, false],
    ['its program tells, and not of it', { counters: [told({ series: [] })] }, true],
    ['its program is not asked any more', { counters: [] }, true],
  ])('%s: gone is %s', (_, known, isGone) => {
    const kind = watchKind('counter-number')
    expect(kind.gone!(valuesOf('counter-number', connections), observed(known), 'nginx: connections')).toBe(isGone)
  })
  it('of one of several, that the others are told says that it is gone', () => {
    const kind = watchKind('counter-bytes')
    const some = told({
      name: 'postgresql',
      series: [{ name: 'postgresql: standby behind of b', metric: 'counter.bytes' }],
    })
    const isGone = (missing: string[]) =>
      kind.gone!(
        valuesOf('counter-bytes', { counters: ['*'] }),
        observed({ counters: [{ ...some, missing }] }),
        'postgresql: standby behind of a',
      )
    expect([isGone([]), isGone(['standby behind'])]).toEqual([true, false])
  })
  it('lengths of time are said as such, and judged in the seconds that are read', () => {
    const values = { counters: ['nginx: age'], warning: 4 * 3_600_000 }
    const read = (seconds: number): Reading[] => [['counter.time', 'nginx: age', seconds]]
    const facts: Facts = { counters: [told({ series: [{ name: 'nginx: age', metric: 'counter.time' }] })] }
    expect(says('counter-time', facts, values, read(14_400))).toEqual(['well: nginx: age 4 h'])
    expect(says('counter-time', facts, values, read(18_000))).toEqual(['warning: nginx: age 5 h'])
    expect(watchKind('counter-time').lines!(valuesOf('counter-time', values), facts, 'nginx: age')).toEqual([
      { severity: 'warning', value: 14_400 },
    ])
    expect(sentenceOf('counter-time', values)).toBe(
      'When the time of counter nginx: age is above 4 h for 5 min, raise warning; clear when it is not for 5 min.',
    )
  })
  it.each<[string, Values, string]>([
    [
      'counter-number',
      connections,
      'When the number of counter nginx: connections is above 500 for 5 min, raise warning; clear when it is not for 5 min.',
    ],
    [
      'counter-rate',
      { counters: ['nginx: requests'], side: 'below', critical: 1, clear: 2 },
      'When the rate of counter nginx: requests is below 1 a second for 5 min, raise critical; clear above 2 a second for 5 min.',
    ],
    [
      'counter-share',
      {},
      'When the share of a counter yet to be named is above a level yet to be named, raise warning; clear when it is not for 5 min.',
    ],
  ])('%s %j reads as a sentence', (kind, values, sentence) => expect(sentenceOf(kind, values)).toBe(sentence))
  it('the side is a word of the sentence that can be changed', () => {
    const parts = watchKind('counter-number').sentence(valuesOf('counter-number', { ...connections, side: 'below' }))
    expect(parts).toContainEqual({ parameter: 'side', text: 'below' })
  })
})

describe('what agents are asked for', () => {
  const watch = (key: string, values: Values): EffectiveWatch =>
    ({
      key,
      kind: 'program-counters',
      standing: 'active',
      values: valuesOf('program-counters', values),
    }) as EffectiveWatch
  it('each program once by its name, the first that is called so', () => {
    const roster = [
      watch('a', { program: 'nginx' }),
      watch('b', { program: 'nginx', from: 'http://127.0.0.1:81/x' }),
      watch('c', { program: 'nginx', called: 'shop', from: 'http://127.0.0.1:81/x' }),
    ]
    expect(countersWatched(roster).map(({ name, from }) => [name, from])).toEqual([
      ['nginx', nginx],
      ['shop', 'http://127.0.0.1:81/x'],
    ])
  })
  it('where it is known what a device has, only programs that are installed on it', () => {
    const roster = [
      watch('a', { program: 'nginx' }),
      watch('b', { program: 'apache' }),
      watch('c', { called: 'shop', from: '/run/shop.json', counters: ['orders = /n'] }),
    ]
    const asked = (facts: Facts) => countersWatched(roster, facts).map(({ name }) => name)
    expect(asked(installed('nginx'))).toEqual(['nginx', 'shop'])
    expect(asked({ services: [{ name: 'nginx', title: '', start: 'automatic', state: 'stopped' }] })).toEqual([
      'nginx',
      'shop',
    ])
    expect(asked({})).toEqual(['shop'])
  })
  it('costs a reading of each counter at each look', () => {
    const roster = [watch('a', { program: 'nginx', every: 5 * minute })]
    expect(readingsPerDay(paceOf(roster, minute), {})).toBe((4 * day) / (5 * minute))
  })
})
