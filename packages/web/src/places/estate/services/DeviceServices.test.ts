import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { AlertView, DevicePage, RosterWatch, ServiceActionView } from '#contract'
import { minute, type Service } from '#core'
import { answerWith, choose, show } from '../../../testing/page'
import DeviceServices from './DeviceServices.vue'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const service = (name: string, more: Partial<Service> = {}): Service => ({
  name,
  title: '',
  start: 'automatic',
  state: 'running',
  account: 'root',
  since: Date.now() - 90 * minute,
  ...more,
})
const device = {
  id: 4,
  name: 'tm-gate-1',
  zone: 'UTC',
  clientId: 1,
  roles: ['web'],
  servicesRead: true,
  failing: [],
  silent: false,
  services: [{ name: 'web', severity: 'critical', held: false }],
  factTimes: { services: Date.now() },
  facts: {
    system: { serviceManager: 'systemd', remediates: true },
    services: [
      service('cron'),
      service('database', { neededBy: ['web'], account: 'postgres' }),
      service('updater', { state: 'stopped' }),
      service('web', { state: 'failed' }),
      service('printing', { start: 'on-demand', state: 'stopped' }),
    ],
  },
} as unknown as DevicePage
const every = {
  key: 'services',
  kind: 'service-state',
  name: 'Services',
  standing: 'active',
  values: { which: 'that should be running', names: ['*'], except: ['*update*'], expected: 'running' },
} as unknown as RosterWatch
const alert = {
  instance: 'web',
  status: 'open',
  evidence: { text: 'web has failed', subject: 'web' },
  rule: {},
} as unknown as AlertView
const asked: ServiceActionView = {
  id: 1,
  verb: 'restart',
  service: 'database',
  at: Date.now() - minute,
  by: 'A technician',
  state: 'failed',
  endedAt: Date.now(),
  text: 'still stopped; port 5432 is taken',
}
const shown = async (answers: Record<string, unknown> = {}, at = '/') => {
  const requests = answerWith({
    'GET /devices/4/roster': [every],
    'GET /devices/4/service-actions': [asked],
    ...answers,
  })
  const { page, router } = await show(DeviceServices, { device, alerts: [alert], held: [] }, at)
  await flushPromises()
  return { page, router, requests }
}
const names = (page: Awaited<ReturnType<typeof show>>['page']) => page.findAll('tbody .name').map((cell) => cell.text())

describe('the services of a device', () => {
  it('begin with what is wrong, in the words of its alert, then by name', async () => {
    const { page } = await shown()
    expect(names(page)).toEqual(['web', 'cron', 'database', 'printing', 'updater'])
    expect(page.find('tbody tr').text()).toContain('has failed')
    expect(page.text()).toContain('needed by web')
    expect(page.text()).toContain('A technician asked to restart it 1 min ago: still stopped; port 5432 is taken')
  })
  it('say what looks at each of them', async () => {
    const { page } = await shown()
    const row = (name: string) =>
      page
        .findAll('tbody tr')
        .find((found) => found.text().startsWith(name))!
        .text()
    expect(row('cron')).toContain('should run')
    expect(row('printing')).toContain('only whether it fails')
    expect(row('updater')).toContain('left out')
    const { page: bare } = await shown({ 'GET /devices/4/roster': [] })
    expect(bare.findAll('tbody tr').every((found) => found.text().includes('by none'))).toBe(true)
  })
  it('are narrowed by group, which stands in the address, and by words', async () => {
    const { page, router } = await shown()
    await choose(page, 'Services shown', 'unwatched')
    await flushPromises()
    expect(router.currentRoute.value.query.services).toBe('unwatched')
    expect(names(page)).toEqual(['updater'])
    const { page: other } = await shown({}, '/?services=running')
    expect(names(other)).toEqual(['cron', 'database'])
    await other.get('.narrow input').setValue('nothing of the kind')
    expect(other.text()).toContain('None of 5 services is like that.')
  })
})
