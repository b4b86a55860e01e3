import { expect, it } from 'vitest'
import type { Service } from '../estate'
import type { WatchInForce } from './inForce'
import { serviceWatching } from './serviceWatching'

const watch = (
  key: string,
  values: WatchInForce['values'],
  standing: WatchInForce['standing'] = 'active',
): WatchInForce => ({
  key,
  kind: 'service-state',
  standing,
  values: { which: 'that should be running', names: ['*'], except: [], expected: 'running', ...values },
})
const every = watch('every', { except: ['*update*'] })
const named = (name: string, expected = 'running') => watch(name, { which: 'named', names: [name], expected })
const service = (name: string, start: Service['start'] = 'automatic'): Service => ({
  name,
  title: '',
  start,
  state: 'running',
})

it.each<[what: string, service: Service, roster: WatchInForce[], found: string | null]>([
  ['set to start', service('web'), [every], 'every: should run'],
  ['started on demand', service('web', 'on-demand'), [every], 'every: only failing'],
  ['left out by a pattern', service('browser-update'), [every], 'every: left out'],
  ['left out, but named', service('browser-update'), [every, named('browser-update')], 'browser-update: should run'],
  [
    'named as what should not run',
    service('telnetd', 'manual'),
    [every, named('telnetd', 'stopped')],
    'telnetd: should not run',
  ],
  ['no such watch', service('web'), [named('mail')], null],
  ['a paused watch', service('web'), [watch('every', {}, 'dormant')], null],
])('%s', (_, of, roster, found) => {
  const told = serviceWatching(of, roster)
  expect(told && `${told.watch.key}: ${told.how}`).toBe(found)
})
