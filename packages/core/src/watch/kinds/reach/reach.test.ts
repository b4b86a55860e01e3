import { describe, expect, it } from 'vitest'
import { boundsOf, mayReach, namedFault, probeName, reachOf, type ProbeTold } from '../../../reach'
import { day, minute, second, type Millis } from '../../../units'
import { evaluate, type DeviceState } from '../../evaluate'
import { watchKind } from '../index'
import type { Look, Looks } from '../../kind'
import { parameterFault, type Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { readStatus } from './index'

const start = Date.UTC(2026, 4, 4)
const valuesOf = (kind: string, values: Values = {}): Values => ({
  ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
  ...values,
})
const good = (more: Partial<ProbeTold> = {}): ProbeTold => ({ id: 1, outcome: 'good', inARow: 5, lasts: 0, ...more })
const bad = (more: Partial<ProbeTold> = {}): ProbeTold => ({
  id: 1,
  outcome: 'bad',
  fault: 'refused',
  inARow: 3,
  lasts: minute,
  ...more,
})
const trouble = (more: Partial<ProbeTold> = {}): ProbeTold => ({
  id: 1,
  outcome: 'trouble',
  trouble: 'no-ping',
  inARow: 9,
  lasts: 0,
  ...more,
})
const looks = (...told: (ProbeTold | null | 'quiet')[]): Looks => ({
  by: told.map((each, i): Look => {
    const from = `gate-${i + 1}`
    return each === 'quiet' ? { from, told: good(), quietSince: start - 10 * minute } : { from, told: each }
  }),
})

/** A watch through several moments, a minute apart unless said otherwise. */
function run(kind: string, values: Values, moments: readonly Looks[], step: Millis = minute) {
  let state: DeviceState = new Map()
  return moments.map((seen, i) => {
    const watch = { key: 'x', kind, values: valuesOf(kind, values), standing: 'active' as const }
    const at = start + i * step
    const next = evaluate(state, [watch], {
      at,
      interval: 5 * minute,
      heardAt: at,
      readings: [],
      facts: {},
      events: [],
      failed: [],
      zone: 'UTC',
      looks: seen,
    })
    expect(next.broken).toEqual([])
    state = next.state
    return state.get('x|')?.level ?? null
  })
}
/** After it has been so for a while. */
const once = (kind: string, values: Values, seen: Looks) => run(kind, values, [seen, seen], 2 * minute)[1]

describe('down, by what those who look agree on', () => {
  it.each<[what: string, values: Values, seen: Looks, is: string | null | undefined]>([
    ['all is well', {}, looks(good(), good()), null],
    ['both see it', {}, looks(bad(), bad()), 'critical'],
    ['one of two', {}, looks(bad(), good()), null],
    ['one of two, where one is enough', { agree: 1 }, looks(bad(), good()), 'critical'],
    ['two of three', { most: 3 }, looks(bad(), good(), bad()), 'critical'],
    ['one of three', { most: 3 }, looks(good(), good(), bad()), null],
    ['not confirmed yet', {}, looks(bad({ inARow: 2 }), bad({ inARow: 2 })), null],
    ['confirmed by one alone', {}, looks(bad(), bad({ inARow: 2 })), null],
    ['the other says nothing any more', {}, looks(bad(), 'quiet'), 'critical'],
    ['the other cannot look', {}, looks(bad(), trouble()), 'critical'],
    ['the other has not begun', {}, looks(bad(), null), 'critical'],
    ['nobody has begun', {}, looks(null, null), null],
    ['nobody can look', {}, looks(trouble(), trouble()), 'warning'],
    ['nobody says anything any more', {}, looks('quiet', 'quiet'), 'warning'],
    ['nobody may', {}, { by: [], none: 'nobody' }, 'warning'],
    ['it lies where nobody may look', { trouble: 'critical' }, { by: [], none: 'not-allowed' }, 'critical'],
    ['nobody can look, and nobody asks', { trouble: 'nothing' }, looks(trouble()), null],
  ])('%s', (_what, values, seen, is) => {
    expect(once('reach-port', values, seen)).toBe(is)
  })
  it('clears when enough have confirmed that it is well; not by silence, trouble, or one good look', () => {
    const down = looks(bad(), bad())
    expect(run('reach-port', {}, [down, looks(good({ inARow: 1 }), good({ inARow: 1 }))])).toEqual([
      'critical',
      'critical',
    ])
    expect(run('reach-port', {}, [down, looks(good({ inARow: 2 }), bad())])).toEqual(['critical', null])
    expect(run('reach-port', { trouble: 'nothing' }, [down, looks('quiet', 'quiet')])).toEqual(['critical', 'critical'])
    expect(run('reach-port', {}, [down, looks(null, null)])).toEqual(['critical', 'critical'])
  })
  it('that nobody can look is told after two minutes of it, and never clears what was down', () => {
    const none = looks(trouble(), trouble())
    const well = looks(good(), good())
    expect(run('reach-port', {}, [none, none, none, none])).toEqual([null, null, 'warning', 'warning'])
    expect(run('reach-port', {}, [none, none, well, none, none])).toEqual(Array(5).fill(null))
    expect(run('reach-port', {}, [none, none, none, well])).toEqual([null, null, 'warning', null])
  })
  it('began when the first of them saw it, and is told in words', () => {
    const watch = { key: 'x', kind: 'reach-port', values: valuesOf('reach-port'), standing: 'active' as const }
    const at = start
    const { transitions } = evaluate(new Map(), [watch], {
      at,
      interval: minute,
      heardAt: at,
      readings: [],
      facts: {},
      events: [],
      failed: [],
      zone: 'UTC',
      looks: looks(bad({ lasts: 40 * second }), bad({ lasts: 90 * second, fault: 'timeout' }), good()),
    })
    expect(transitions).toMatchObject([
      {
        began: at - 90 * second,
        evidence: {
          subject: 'port 443',
          text: 'port 443 refuses the connection, 3 times in a row, seen from gate-1; does not answer, 3 times in a row, seen from gate-2; not so from 1 other device',
        },
      },
    ])
  })
  it('a report of the device itself says nothing of it', () => {
    const watch = { key: 'x', kind: 'reach-port', values: valuesOf('reach-port'), standing: 'active' as const }
    const around = { interval: minute, readings: [], facts: {}, events: [], failed: [], zone: 'UTC' }
    const { state } = evaluate(new Map(), [watch], { ...around, at: start, heardAt: start, looks: looks(bad()) })
    const later = start + day
    const next = evaluate(state, [watch], { ...around, at: later, heardAt: later })
    expect([next.state.get('x|'), next.transitions]).toEqual([state.get('x|'), []])
  })
})

describe('slow', () => {
  const took = (mean: number) => good({ mean, time: mean })
  it('a ping above 25 ms for 300 s is told, a spike is not (common practice, no source)', () => {
    const fast = looks(took(10), took(11))
    const slow = looks(took(31), took(26))
    expect(run('reach-ping', {}, [slow, slow, slow, slow, slow, slow])).toEqual([
      null,
      null,
      null,
      null,
      null,
      'warning',
    ])
    expect(run('reach-ping', {}, [slow, slow, slow, fast, slow, slow, slow])).toEqual(Array(7).fill(null))
    // A limit is what is still well.
    expect(run('reach-ping', {}, Array(7).fill(looks(took(25), took(25))))).toEqual(Array(7).fill(null))
    expect(run('reach-ping', {}, [...Array<Looks>(6).fill(slow), fast]).slice(-2)).toEqual(['warning', null])
  })
  it('as many have to agree as for down', () => {
    const one = looks(took(90), took(10))
    expect(run('reach-ping', {}, Array(7).fill(one)).at(-1)).toBeNull()
    expect(run('reach-ping', { agree: 1 }, Array(7).fill(one)).at(-1)).toBe('warning')
  })
  it('down while it is slow is down, and what was slow before begins anew', () => {
    const slow = looks(took(90), took(90))
    const down = looks(bad(), bad())
    expect(run('reach-ping', {}, [...Array<Looks>(6).fill(slow), down, slow])).toEqual([
      ...Array(5).fill(null),
      'warning',
      'critical',
      // Well again, and no longer slow for long enough: nothing is known to be well yet.
      'critical',
    ])
  })
})

describe('a certificate', () => {
  const ends = (left: Millis) => good({ expires: start + left })
  it.each<[left: Millis, is: string | null]>([
    [22 * day, null],
    [20 * day, 'warning'],
    [6 * day, 'critical'],
    [-day, 'critical'],
  ])('%s ms from its end', (left, is) => {
    expect(once('reach-certificate', {}, looks(ends(left), ends(left)))).toBe(is)
  })
  it('one that does not say when it ends is neither well nor failing: it clears nothing', () => {
    const silent = looks(good(), good())
    expect(run('reach-certificate', {}, [looks(ends(day), ends(day)), silent])).toEqual(['critical', 'critical'])
  })
  it('where machines show different ones, the first to end counts', () => {
    expect(once('reach-certificate', {}, looks(ends(90 * day), ends(3 * day)))).toBe('critical')
  })
})

describe('how it reads', () => {
  it.each<[kind: string, values: Values, text: string]>([
    [
      'reach-port',
      { port: 5432, host: 'db.branch.example', from: ['gate-*'] },
      'Looked at from gate-*, 2 at most, every 20 s: when port 5432 takes no connection at db.branch.example 3 times in a row, for 2 of them, raise critical; when nobody can look, warning; clear after 2 good ones.',
    ],
    [
      'reach-page',
      { path: '/status', words: 'well', trouble: 'nothing' },
      'Looked at from servers of its site, 2 at most, every 60 s: when https page /status does not answer 200-299 or does not have “well” 3 times in a row, for 2 of them, raise critical; when the mean is above 5 s for 5 min, warning; clear after 2 good ones.',
    ],
    [
      'reach-ping',
      {},
      'Looked at from servers of its site, 2 at most, every 60 s: when of 5 pings more than 50 % are lost 3 times in a row, for 2 of them, raise critical; when the mean is above 25 ms for 5 min, warning; when nobody can look, warning; clear after 2 good ones.',
    ],
  ])('%s', (kind, values, text) => {
    expect(sentenceText(watchKind(kind).sentence(valuesOf(kind, values)))).toBe(text)
  })
  it.each(['reach-port', 'reach-page', 'reach-certificate', 'reach-name', 'reach-ping', 'reach-mail'])(
    '%s: every value of its own is in its sentence, so that it can be edited, or has a reason not to be',
    (kind) => {
      const inSentence = new Set(
        watchKind(kind)
          .sentence(
            valuesOf(kind, {
              host: 'x.example',
              name: 'x.example',
              words: 'x',
              port: 1,
              least: 1,
              largest: 2,
              expect: ['x'],
              slow: 5,
            }),
          )
          .flatMap((part) => ('parameter' in part ? [part.parameter] : [])),
      )
      const aside = ['recheck', 'timeout', 'hours', 'todo', 'trust', 'redirects', 'security']
      const missing = watchKind(kind)
        .parameters.map(({ name }) => name)
        .filter((name) => !inSentence.has(name))
      expect(missing.filter((name) => !aside.includes(name))).toEqual([])
    },
  )
  it('names of series hold no query, which may be a secret', () => {
    const page = { check: 'page', secure: true, port: 8443, path: '/a?key=s3cret', status: [], words: '' } as never
    expect(probeName(page, 'shop.example')).toBe('https page /a at port 8443, shop.example')
  })
})

describe('what may be written', () => {
  const fault = (kind: string, name: string, value: string) =>
    parameterFault(
      watchKind(kind).parameters.find((parameter) => parameter.name === name)!,
      value,
    )
  it.each<[kind: string, name: string, value: string, isFine: boolean]>([
    ['reach-port', 'host', '198.51.100.7', true],
    ['reach-port', 'host', '2001:db8::7', true],
    ['reach-port', 'host', 'shop.example', true],
    ['reach-port', 'host', 'shop.example; rm', false],
    ['reach-port', 'host', '-oProxy', false],
    ['reach-port', 'host', '198.51.100.300', false],
    ['reach-port', 'host', '1', false],
    ['reach-page', 'path', '/a b', false],
    ['reach-page', 'path', '/a\r\nHost: x', false],
    ['reach-page', 'path', '//x', true],
    ['reach-page', 'status', '200-299, 401', true],
    ['reach-page', 'status', '299-200', false],
    ['reach-page', 'status', 'fine', false],
  ])('%s %s: %s', (kind, name, value, isFine) => {
    expect(fault(kind, name, value) === null).toBe(isFine)
  })
  it('statuses are ranges', () => {
    expect(readStatus('200-299, 401')).toEqual([
      [200, 299],
      [401, 401],
    ])
    expect(readStatus('')).toBeNull()
  })
})

describe('where one may look', () => {
  const bounds = boundsOf(
    ['198.51.100.0/24'],
    ['203.0.113.9', '::ffff:203.0.113.11', '2001:db8:7::/48', '*.shop.example', 'mail.example'],
  )
  it.each<[host: string, is: 'yes' | 'no' | 'resolve']>([
    ['198.51.100.20', 'yes'],
    ['198.51.101.20', 'no'],
    ['203.0.113.9', 'yes'],
    ['203.0.113.10', 'no'],
    // As IPv6 writes an IPv4 address.
    ['203.0.113.11', 'yes'],
    ['2001:db8:7::1', 'yes'],
    ['2001:db8:8::1', 'no'],
    ['::ffff:198.51.100.20', 'yes'],
    ['127.0.0.1', 'no'],
    ['www.shop.example', 'yes'],
    ['WWW.Shop.Example', 'yes'],
    ['shop.example', 'resolve'],
    ['mail.example', 'yes'],
    ['mail.example.evil.example', 'resolve'],
    // Decimal and octal forms that some programs read as an address.
    ['2130706433', 'no'],
    ['0x7f.1', 'no'],
  ])('%s: %s', (host, is) => {
    // What is neither an address nor a name is found nowhere.
    const found = reachOf(host, bounds)
    expect(/^\d+$|^0x/.test(host) && found === 'resolve' ? 'no' : found).toBe(is)
  })
  it('a name leads only within, unless it is named, and then not inward', () => {
    expect(mayReach('198.51.100.3', bounds, 'db.branch.example')).toBe(true)
    expect(mayReach('203.0.113.77', bounds, 'db.branch.example')).toBe(false)
    expect(mayReach('203.0.113.77', bounds, 'www.shop.example')).toBe(true)
    expect(mayReach('127.0.0.1', bounds, 'www.shop.example')).toBe(false)
    expect(mayReach('169.254.169.254', bounds, 'www.shop.example')).toBe(false)
    // A network of the client's that nobody declared for the site.
    expect(mayReach('10.0.0.5', bounds, 'www.shop.example')).toBe(false)
    expect(mayReach('::ffff:10.0.0.5', bounds, 'www.shop.example')).toBe(false)
    expect(reachOf('db.branch.example', boundsOf([], []))).toBe('no')
  })
  it.each([
    ['shop.example', true],
    ['*.shop.example', true],
    ['198.51.100.7', true],
    ['198.51.100.0/24', true],
    ['198.51.100.7/24', false],
    ['*', false],
    ['*.example/../x', false],
    ['localhost', false],
    ['http://shop.example', false],
  ])('%s may be named: %s', (text, isFine) => {
    expect(namedFault(text) === null).toBe(isFine)
  })
})
