import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { ServiceByName, ServiceOnDevices, ServicesPage } from '#contract'
import { answerWith, choose, show } from '../../../testing/page'
import ServicesBoard from './ServicesBoard.vue'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const row = (name: string, more: Partial<ServiceByName> = {}): ServiceByName => ({
  name,
  title: name,
  devices: 3,
  running: 3,
  stopped: 0,
  failed: 0,
  wrong: 0,
  held: 0,
  ...more,
})
const first: ServicesPage = { services: [row('web', { wrong: 2 })], total: 2, devices: 9, next: 'more' }
const across: ServiceOnDevices = {
  title: 'Web pages',
  total: 2,
  starts: [{ value: 'automatic', count: 2 }],
  states: [
    { value: 'running', count: 1 },
    { value: 'failed', count: 1 },
  ],
  accounts: [{ value: 'www-data', count: 2 }],
  rows: [
    {
      deviceId: 4,
      deviceName: 'tm-gate-1',
      clientName: 'Tidemill Ferries',
      siteName: 'Harbour West',
      silent: false,
      start: 'automatic',
      state: 'failed',
      account: 'www-data',
      since: null,
      severity: 'critical',
      alertId: 12,
      held: false,
    },
  ],
  next: null,
}

describe('services over all devices', () => {
  it('come in parts, and say how many there are', async () => {
    const asked = answerWith({
      'GET /services': first,
      'GET /services?order=needs': first,
      'GET /services?after=more&order=needs': { services: [row('mail')], total: 2, devices: 9, next: null },
    })
    const { page } = await show(ServicesBoard)
    expect(page.text()).toContain('2 services on 9 devices')
    expect(page.text()).toContain('The first 1 of 2.')
    await page.get('.note button').trigger('click')
    await flushPromises()
    expect(page.findAll('tbody tr')).toHaveLength(2)
    expect(asked.at(-1)!.path).toContain('after=more')
  })
  it('say what nothing to show means', async () => {
    answerWith({ 'GET /services': { services: [], total: 0, devices: 0, next: null } })
    expect((await show(ServicesBoard)).page.text()).toContain('No device has told its services yet.')
    answerWith({ 'GET /services': { services: [], total: 0, devices: 9, next: null } })
    expect((await show(ServicesBoard, {}, '/?wrong=1')).page.text()).toContain('is found not to be as it should')
  })
  it('one of them stands side by side, narrowed by what differs, and leads to the alert and the device', async () => {
    const asked = answerWith({ 'GET /services': first, 'GET /services/devices': across })
    const { page, router } = await show(ServicesBoard, {}, '/?service=web%401')
    expect(new URLSearchParams(asked.at(-1)!.path.split('?')[1]).get('name')).toBe('web@1')
    expect(page.text()).toContain('Web pages')
    expect(page.findAll('tbody a').map((link) => link.attributes('href'))).toEqual([
      '/estate/4#services',
      '/rounds?alert=12',
    ])
    await choose(page, 'State', 'failed')
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({ service: 'web@1', state: 'failed' })
    expect(asked.at(-1)!.path).toContain('state=failed')
  })
})
