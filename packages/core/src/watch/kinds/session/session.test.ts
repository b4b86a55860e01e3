import { describe, expect, it } from 'vitest'
import type { Session, Sessions } from '../../../estate'
import type { Reading } from '../../../series'
import { hour, minute } from '../../../units'
import { watchKind } from '..'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'

const at = Date.UTC(2026, 5, 1, 18)
const session = (user: string, hours: number, more: Partial<Session> = {}): Session => ({
  id: `${user}${hours}`,
  user,
  kind: 'terminal',
  since: at - hours * hour,
  from: '',
  ...more,
})
const valuesOf = (kind: string, values: Values): Values => ({
  ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
  ...values,
})
const observed = (sessions: Sessions | null, readings: Reading[] = []) => ({
  at,
  interval: minute,
  heardAt: at,
  readings,
  facts: sessions ? { sessions } : {},
  events: [],
  failed: [],
  zone: 'UTC',
})
function says(kind: string, sessions: Sessions | null, values: Values = {}, readings: Reading[] = []): string[] {
  return watchKind(kind)
    .observe(valuesOf(kind, values), observed(sessions, readings), () => undefined)
    .map(({ failing, well, evidence }) => `${failing.at(-1) ?? (well ? 'well' : 'unknown')}: ${evidence().text}`)
}

describe('somebody who is signed in for long', () => {
  it.each<[string, Session[], string[]]>([
    ['nobody', [], []],
    ['since this morning', [session('ines', 9)], ['well: ines has been signed in for 9 h']],
    [
      'since yesterday, from elsewhere',
      [session('ines', 31, { from: '198.18.0.7' })],
      ['notice: ines has been signed in for 1 d from 198.18.0.7'],
    ],
    [
      'several times, of which the longest counts',
      [session('ines', 2), session('ines', 13), session('odile', 1)],
      ['notice: ines has been signed in for 13 h, in 2 sessions', 'well: odile has been signed in for 1 h'],
    ],
    ['from tomorrow, by a clock that is wrong', [session('ines', -3)], ['well: ines has been signed in for 0 s']],
  ])('%s', (_, list, expected) => {
    expect(says('session-long', { list })).toEqual(expected)
  })
  it('of those that are left out nothing is said; who is signed off, or left out, is gone', () => {
    const list = [session('kiosk', 400), session('ines', 1)]
    expect(says('session-long', { list }, { except: ['kiosk'] })).toEqual(['well: ines has been signed in for 1 h'])
    const { gone } = watchKind('session-long')
    const isGone = (sessions: Sessions | null, user: string, values: Values = {}) =>
      gone!(valuesOf('session-long', values), observed(sessions), user)
    expect([
      isGone({ list }, 'kiosk'),
      isGone({ list }, 'kiosk', { except: ['kiosk'] }),
      isGone({ list: [] }, 'kiosk'),
      isGone(null, 'kiosk'),
    ]).toEqual([false, true, true, false])
  })
  it('began when it became too long', () => {
    const [long] = watchKind('session-long').observe(
      valuesOf('session-long', {}),
      observed({ list: [session('ines', 31)] }),
      () => undefined,
    )
    expect(long!.since).toBe(at - 19 * hour)
  })
})

it.each<[string, Sessions | null, string[]]>([
  ['takes people', { list: [], closedBy: null }, ['well: people may sign in']],
  [
    'does not',
    { list: [], closedBy: 'System is going down.' },
    ['warning: nobody new may sign in: System is going down.'],
  ],
  ['does not tell', { list: [] }, []],
  ['was not read', null, []],
])('a machine that %s', (_, sessions, expected) => {
  expect(says('sign-ins-closed', sessions)).toEqual(expected)
})

it('how many, and how slow, is judged by its level', () => {
  expect(says('session-count', { list: [] }, {}, [['sessions.count', '', 21]])).toEqual(['warning: Sessions 21'])
  expect(says('session-latency', { list: [] }, {}, [['sessions.latency', '', 310]])).toEqual([
    'critical: Slow sessions 310 ms',
  ])
  expect(says('session-latency', { list: [] })).toEqual([])
})

it.each<[string, Values, string]>([
  [
    'session-long',
    {},
    'When somebody is signed in for longer than 12 h, raise notice; clear when they are signed off.',
  ],
  [
    'session-long',
    { users: ['adm*'], except: ['admin-backup'] },
    'When one of adm* except admin-backup is signed in for longer than 12 h, raise notice; clear when they are signed off.',
  ],
  ['sign-ins-closed', {}, 'When nobody new may sign in for 2 h, raise warning; clear when they may.'],
])('%s as a sentence, with %j', (kind, values, text) => {
  expect(sentenceText(watchKind(kind).sentence(valuesOf(kind, values)))).toBe(text)
})
