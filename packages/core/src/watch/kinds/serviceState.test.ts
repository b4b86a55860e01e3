import { describe, expect, it } from 'vitest'
import type { Service, ServiceStarts } from '../../estate'
import { hour, minute } from '../../units'
import { evaluate, type DeviceState, type PostTransition } from '../evaluate'
import type { WatchInForce } from '../inForce'
import type { Values } from '../parameter'
import { serviceState } from './serviceState'
import { watchKind } from './index'
import { sentenceText } from '../sentence'

const service = (name: string, more: Partial<Service> = {}): Service => ({
  name,
  title: '',
  start: 'automatic',
  state: 'running',
  ...more,
})
const watch = (values: Values = {}): WatchInForce => ({
  key: 'services',
  kind: 'service-state',
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind('service-state').parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})
const now = 100 * hour

/** Looks every minute: at each, the services as they are then, and how often each was started since the look before. */
function looks(
  moments: { services: Service[]; starts?: Record<string, number> }[],
  values: Values = {},
): { transitions: PostTransition[]; state: DeviceState } {
  let state: DeviceState = new Map()
  const transitions: PostTransition[] = []
  const looked = new Map<string, ServiceStarts['looks']>()
  moments.forEach(({ services, starts = {} }, i) => {
    const at = now + i * minute
    for (const [name, count] of Object.entries(starts)) looked.set(name, [...(looked.get(name) ?? []), { at, count }])
    const found = evaluate(state, [watch(values)], {
      at,
      heardAt: at,
      interval: minute,
      zone: 'UTC',
      readings: [],
      events: [],
      failed: [],
      facts: { services, starts: [...looked].map(([service, looks]) => ({ service, looks })) },
    })
    expect(found.broken).toEqual([])
    state = found.state
    transitions.push(...found.transitions)
  })
  return { transitions, state }
}
const always = (services: Service[], times = 3) => Array.from({ length: times }, () => ({ services }))
const said = ({ transitions }: ReturnType<typeof looks>) =>
  transitions.map(({ kind, instance, evidence }) => `${kind} ${instance}: ${evidence!.text}`)

describe('every service that should be running', () => {
  it.each<[what: string, is: Partial<Service>, raised: string | null]>([
    ['runs', {}, null],
    ['set to start, and stopped', { state: 'stopped' }, 'it is stopped'],
    ['set to start, and failed', { state: 'failed' }, 'it has failed'],
    ['a job that ended well', { state: 'finished' }, null],
    ['not needed here, by its own condition', { state: 'skipped' }, null],
    ['started late, and stopped', { start: 'late', state: 'stopped' }, null],
    ['started on demand, and stopped', { start: 'on-demand', state: 'stopped' }, null],
    ['started on demand, and failed', { start: 'on-demand', state: 'failed' }, 'it has failed'],
    [
      'started by a socket that has failed',
      { start: 'on-demand', state: 'stopped', brokenTrigger: 'it.socket' },
      'it is stopped; it.socket, which starts it, has failed',
    ],
    [
      'disabled, and so is what its failed socket is for',
      { start: 'disabled', state: 'stopped', brokenTrigger: 'it.socket' },
      null,
    ],
    ['started by hand, and stopped', { start: 'manual', state: 'stopped' }, null],
    ['disabled', { start: 'disabled', state: 'stopped' }, null],
    ['starting', { state: 'starting', since: now }, null],
    ['starting for an hour', { state: 'starting', since: now - hour }, 'it is starting'],
    ['starting, nobody knows since when', { state: 'starting' }, null],
  ])('%s', (_, is, raised) => {
    expect(said(looks(always([service('it', is)])))).toEqual(raised === null ? [] : [`raised it: ${raised}`])
  })
  it('leaves out what a pattern names, of services found later too', () => {
    const values = { except: ['*update*'] }
    const later = [service('web'), service('browser-update', { state: 'stopped' })]
    expect(said(looks([...always([service('web')]), ...always(later)], values))).toEqual([])
    expect(said(looks(always(later)))).toEqual(['raised browser-update: browser-update is stopped'])
  })
})

describe('a service that should not run', () => {
  const values = { which: 'named', names: ['telnetd'], expected: 'stopped' }
  it.each<[Service['state'], raised: boolean]>([
    ['running', true],
    ['stopped', false],
    ['failed', false],
    ['starting', false],
  ])('%s', (state, raised) => {
    expect(looks(always([service('telnetd', { state })]), values).transitions).toHaveLength(Number(raised))
  })
  it('is not looked at for how often it was started', () => {
    const moments = always([service('telnetd', { state: 'stopped' })]).map((each) => ({
      ...each,
      starts: { telnetd: 9 },
    }))
    expect(looks(moments, values).transitions).toEqual([])
  })
})

describe('what needs another service', () => {
  const database = (is: Partial<Service> = {}) => service('database', { neededBy: ['shop', 'reports'], ...is })
  const stopped = { state: 'stopped' } as const
  it('is told with it when both are stopped: one cause, one alert', () => {
    expect(said(looks(always([database({ state: 'failed' }), service('shop', stopped), service('reports')])))).toEqual([
      'raised database: database has failed; shop stopped with it; needed by reports',
    ])
  })
  it('says so itself where somebody asks why nothing is told of it', () => {
    const services = [database({ state: 'failed' }), service('shop', stopped)]
    const seen = serviceState.observe(
      watch().values,
      {
        at: now,
        heardAt: now,
        interval: minute,
        zone: 'UTC',
        readings: [],
        events: [],
        failed: [],
        facts: { services },
      },
      () => undefined,
    )
    expect(seen.map(({ failing, well, evidence }) => [failing, well, evidence().text])).toEqual([
      [['critical'], false, 'database has failed; shop stopped with it; needed by reports'],
      [[], false, 'shop is stopped; it needs database, and is told with it'],
    ])
  })
  it('is told by itself when it has failed by itself, and when what it needs is well again and it is not', () => {
    const failed = [database({ state: 'failed' }), service('shop', { state: 'failed' })]
    expect(said(looks(always(failed)))).toEqual([
      'raised database: database has failed; shop stopped with it; needed by reports',
      'raised shop: shop has failed; it needs database',
    ])
    const back = [
      ...always([database(stopped), service('shop', stopped)]),
      ...always([database(), service('shop', stopped)]),
    ]
    expect(said(looks(back))).toEqual([
      'raised database: database is stopped; shop stopped with it; needed by reports',
      'cleared database: database is running',
      'raised shop: shop is stopped',
    ])
  })
  it('is told by itself when nobody is told of what it needs', () => {
    const services = [database(stopped), service('shop', stopped)]
    expect(said(looks(always(services), { except: ['database'] }))).toEqual([
      'raised shop: shop is stopped; it needs database',
    ])
  })
  it('over some steps, and in a ring, where each is told', () => {
    const chain = [
      service('disk', { state: 'failed', neededBy: ['database'] }),
      service('database', { ...stopped, neededBy: ['shop'] }),
      service('shop', stopped),
    ]
    expect(looks(always(chain)).transitions.map(({ instance }) => instance)).toEqual(['disk'])
    const ring = [service('a', { ...stopped, neededBy: ['b'] }), service('b', { ...stopped, neededBy: ['a'] })]
    expect(looks(always(ring)).transitions.map(({ instance }) => instance)).toEqual(['a', 'b'])
  })
})

describe('a service that is started again and again', () => {
  const moment = (count: number | null): Parameters<typeof looks>[0][number] => ({
    services: [service('web')],
    starts: count === null ? {} : { web: count },
  })
  const after = (counts: (number | null)[], values: Values = {}) => looks(counts.map(moment), values)
  it('is told although it runs whenever one looks, with its true beginning', () => {
    const { transitions } = after([1, 1, 1, 1, 1])
    expect(transitions).toMatchObject([
      { kind: 'raised', instance: 'web', began: now, evidence: { text: 'web was started 5 times in 4 min' } },
    ])
  })
  it('counts only what lies within the time, and clears when it stays up', () => {
    expect(after([1, 1, null, null, 1, null, null, 1, null, null, null, 1]).transitions).toEqual([])
    const calm = Array.from({ length: 13 }, () => null)
    expect(after([2, 2, 2, ...calm]).transitions.map(({ kind, at }) => [kind, (at - now) / minute])).toEqual([
      ['raised', 2],
      // The first two starts are 10 minutes old at 10, and it has been well for a minute then.
      ['cleared', 11],
    ])
  })
  it('has no need to last: it was counted over a time of its own', () => {
    expect(after([1, 1, 3], { hold: 3 * hour }).transitions).toMatchObject([{ kind: 'raised', at: now + 2 * minute }])
  })
  it('leaves nothing behind once it is well', () => {
    expect(after([1, ...Array.from({ length: 11 }, () => null)]).state.size).toBe(0)
  })
  it('is left alone where nobody wants to hear of it', () => {
    expect(after([9, 9, 9], { starts: null }).transitions).toEqual([])
  })
  it('says both when it is down just now', () => {
    const down = { services: [service('web', { state: 'failed' })], starts: { web: 3 } }
    expect(said(looks([down, down, down]))).toEqual(['raised web: web has failed; was started 6 times in 1 min'])
  })
})

describe('its sentence', () => {
  it('tells of starts only where they are counted', () => {
    const text = (values: Values) => sentenceText(serviceState.sentence(watch(values).values))
    expect(text({})).toBe(
      'On every service that should be running, when stopped or failed for 60 s, or started 5 times within 10 min, raise critical; clear after 60 s well.',
    )
    expect(text({ starts: null })).not.toContain('times')
    expect(text({ which: 'named', names: ['telnetd'], expected: 'stopped' })).toBe(
      'On the service telnetd, when running for 60 s, raise critical; clear after 60 s well.',
    )
  })
})
