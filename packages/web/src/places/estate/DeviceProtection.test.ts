import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import type { AlertView, DevicePage } from '#contract'
import { hour, type Facts } from '#core'
import { show } from '../../testing/page'
import DeviceProtection from './DeviceProtection.vue'
import DeviceSessions from './DeviceSessions.vue'

enableAutoUnmount(afterEach)

const heardAt = Date.now()
const deviceWith = (facts: Facts, more: object = {}) =>
  ({
    id: 4,
    heardAt,
    readAt: heardAt,
    failing: [],
    silent: false,
    zone: 'UTC',
    facts,
    ...more,
  }) as unknown as DevicePage
const alert = (kind: string, instance: string, severity = 'critical') =>
  ({ instance, status: 'open', severity, rule: { kind } }) as unknown as AlertView

describe('how well a device is protected', () => {
  const facts: Facts = {
    protection: {
      scanners: [{ name: 'Lantern Shield', isOn: true, definitionsAt: heardAt - 5 * hour }],
      firewalls: [
        { name: 'Domain', isOn: true, by: 'Windows' },
        { name: 'Private', isOn: true, by: 'Windows' },
        { name: 'Public', isOn: false, by: '' },
      ],
      volumes: [{ name: 'C:', isEncrypted: null, trouble: 'it is locked' }],
      clock: { isSynchronised: true },
    },
  }
  it('in the words of the watches; what is so of several is said once, what nobody knows is muted', async () => {
    const { page } = await show(DeviceProtection, {
      device: deviceWith(facts, { silent: true }),
      alerts: [alert('firewall', 'Public')],
    })
    expect(page.findAll('p').map((line) => line.text().replace(/\s+/g, ' '))).toEqual([
      'Antivirusis on: Lantern Shield; Lantern Shield has definitions that are 5 h old',
      'FirewallDomain, Private are guarded by Windows; Public is open: no rules',
      'Disk encryptionC: cannot be told: it is locked',
      'Clockis kept right',
    ])
    expect(page.findAll('p').map((line) => line.find('svg').exists())).toEqual([false, true, false, false])
    expect(page.findAll('p')[2]!.find('.muted').exists()).toBe(true)
  })
  it('where there is nothing of the kind, and where it cannot be read', async () => {
    const none = { scanners: [], firewalls: [], volumes: [], clock: { isSynchronised: false } }
    const { page } = await show(DeviceProtection, { device: deviceWith({ protection: none }), alerts: [] })
    expect(page.text()).toContain('nothing of the kind')
    const failing = deviceWith({}, { failing: ['protection'] })
    expect((await show(DeviceProtection, { device: failing, alerts: [] })).page.text()).toContain('cannot be read')
    expect((await show(DeviceProtection, { device: deviceWith({}), alerts: [] })).page.text()).toBe('')
  })
})

describe('who is signed in', () => {
  const session = (user: string, hours: number, from = '') => ({
    id: `${user}${hours}`,
    user,
    kind: 'desktop' as const,
    since: heardAt - hours * hour,
    from,
  })
  it('who came first stands above, with their alert, and that nobody else may', async () => {
    const list = [session('office', 2), session('admin-west', 31, '198.51.100.77')]
    const { page } = await show(DeviceSessions, {
      device: deviceWith({ sessions: { list, closedBy: 'work on it' } }),
      alerts: [alert('session-long', 'admin-west', 'notice')],
    })
    const lines = page.findAll('p')
    expect(lines.map((line) => line.text().replace(/, since .*/, ''))).toEqual([
      'Closednobody new may sign in: work on it',
      'admin-westwith a desktop from 198.51.100.77',
      'officewith a desktop',
    ])
    expect(lines.map((line) => line.find('svg').exists())).toEqual([false, true, false])
  })
  it('nobody, many, and where it is not told', async () => {
    const text = async (facts: Facts) =>
      (await show(DeviceSessions, { device: deviceWith(facts), alerts: [] })).page.text()
    expect(await text({ sessions: { list: [] } })).toContain('Nobody.')
    const many = Array.from({ length: 30 }, (_, i) => session(`user-${i}`, i))
    expect(await text({ sessions: { list: many } })).toMatch(/Signed in\s*30.*And 22 more\. How many over time/s)
    expect(await text({})).toBe('')
  })
})
