import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import type { AlertView, DevicePage } from '#contract'
import type { CountersTold } from '#core'
import { show } from '../../testing/page'
import DeviceCounters from './DeviceCounters.vue'

enableAutoUnmount(afterEach)

const heardAt = Date.now()
const deviceWith = (
  counters: CountersTold[] | undefined,
  readings: [string, string, number][] = [],
  failing: string[] = [],
) =>
  ({
    id: 4,
    heardAt,
    readAt: heardAt,
    failing,
    silent: false,
    zone: 'UTC',
    facts: { counters },
    latest: { at: heardAt, readings },
  }) as unknown as DevicePage
const alert = (kind: string, instance: string, subject: string) =>
  ({
    instance,
    status: 'open',
    severity: 'critical',
    rule: { kind },
    evidence: { subject, text: '' },
  }) as unknown as AlertView
const lines = (page: { findAll(selector: string): { text(): string }[] }) =>
  page.findAll('p').map((line) => line.text().replace(/\s+/g, ' ').trim())
const of = (name: string, series: CountersTold['series'], more: Partial<CountersTold> = {}): CountersTold => ({
  name,
  from: '/x',
  series,
  missing: [],
  ...more,
})

describe('what the programs of a device count', () => {
  it('each with its value and its chart; what is not known yet, missing, or not told at all says so', async () => {
    const { page } = await show(DeviceCounters, {
      device: deviceWith(
        [
          of('shop', [], { trouble: 'status', detail: '404' }),
          of(
            'nginx',
            [
              { name: 'nginx: connections', metric: 'counter.number' },
              { name: 'nginx: requests', metric: 'counter.rate' },
            ],
            { missing: ['waiting'] },
          ),
        ],
        [['counter.number', 'nginx: connections', 12]],
      ),
      alerts: [alert('counter-number', 'nginx: connections', ''), alert('program-counters', '', 'shop')],
    })
    expect(lines(page)).toEqual([
      'nginxfrom /x',
      'connections12',
      'requestsnot known yet',
      'It does not tell waiting.',
      'shopanswers 404',
    ])
    expect(page.findAll('p').map((line) => line.find('svg').exists())).toEqual([false, true, false, false, true])
    expect(page.get('a').attributes('href')).toContain('counter.number')
  })
  it('of many it says how many more there are', async () => {
    const series = Array.from({ length: 40 }, (_, i) => ({
      name: `db: size of ${i}`,
      metric: 'counter.bytes' as const,
    }))
    const { page } = await show(DeviceCounters, { device: deviceWith([of('db', series)]), alerts: [] })
    expect(lines(page).at(-1)).toBe('And 28 more.')
  })
  it('where nobody asks there is nothing, and where it cannot be read that is said', async () => {
    expect((await show(DeviceCounters, { device: deviceWith(undefined), alerts: [] })).page.text()).toBe('')
    const failing = deviceWith(undefined, [], ['counters'])
    expect((await show(DeviceCounters, { device: failing, alerts: [] })).page.text()).toContain('cannot be read')
  })
})
