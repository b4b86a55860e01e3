import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Backlog, ClientUpdates, DevicePage, UpdateOnDevices, UpdatesByClient, UpdatesPage } from '#contract'
import { day, hour, type Facts, type Updates } from '#core'
import { answerWith, choose, show } from '../../../testing/page'
import DeviceUpdates from './DeviceUpdates.vue'
import UpdatesBoard from './UpdatesBoard.vue'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const client = (more: Partial<ClientUpdates> = {}): ClientUpdates => ({
  clientId: 1,
  clientName: 'Tidemill Ferries',
  devices: 9,
  unknown: 0,
  none: 9,
  fresh: 0,
  behind: 0,
  farBehind: 0,
  security: 0,
  other: 0,
  held: 0,
  restart: 0,
  outdated: 0,
  failing: 0,
  oldestSecurityAt: null,
  ...more,
})
const clients: UpdatesByClient = {
  clients: [
    client({
      unknown: 1,
      none: 5,
      fresh: 1,
      behind: 1,
      farBehind: 1,
      security: 12,
      restart: 1,
      failing: 2,
      oldestSecurityAt: Date.now() - 40 * day - hour,
    }),
    client({ clientId: 2, clientName: 'Saltmarsh Veterinary' }),
  ],
  total: 2,
  next: null,
}
const today = Date.now() - (Date.now() % day)
const backlog: Backlog = {
  days: [
    { day: today - day, devices: 8, security: 9, other: 3, held: 0, behind: 1 },
    { day: today, devices: 8, security: 12, other: 4, held: 1, behind: 2 },
  ],
}
const names: UpdatesPage = {
  updates: [
    { name: 'openssl', security: true, rating: null, devices: 3, held: 1, to: '3.0.15', versions: 2, oldestAt: today },
  ],
  total: 2,
  devices: 8,
  next: 'more',
}

async function open(address: string) {
  const { page } = await show(UpdatesBoard, {}, address)
  await flushPromises()
  return page
}

describe('updates over all devices', () => {
  it('by client: who is behind, what nobody knows, and how it went', async () => {
    const asked = answerWith({ 'GET /updates/clients': clients, 'GET /updates/backlog': backlog })
    const page = await open('/estate/updates')
    const rows = page.findAll('tbody tr').map((row) => row.text().replace(/\s+/g, ' '))
    expect(rows[0]).toMatch(/^Tidemill Ferries 9 devices ?2 ?12 ?40 d/)
    expect(rows[0]).toContain('1 not known, 1 restart pending, 2 cannot fetch lists')
    expect(rows[1]).toBe('Saltmarsh Veterinary 9 devices')
    expect(page.find('tbody [role=img]').attributes('aria-label')).toBe(
      'Security updates wait: of 9 devices 1 for more than 30 days, 1 for more than 14 days, 1 for less, 5 with none, 1 not known',
    )
    expect(page.find('.caption').text()).toContain('12 security, 4 other, 1 held back on 8 devices; 2 devices behind')
    expect(asked.some(({ path }) => path.includes('days=90'))).toBe(true)
    await choose(page, 'Days', '30')
    await flushPromises()
    expect(asked.at(-1)!.path).toContain('days=30')
  })
  it('by name, and those of security alone', async () => {
    const asked = answerWith({ 'GET /updates': names })
    const page = await open('/estate/updates?view=names')
    expect(page.find('tbody tr').text().replace(/\s+/g, ' ')).toMatch(/^openssl ?security ?3\.0\.15 and 1 other/)
    expect(page.text()).toContain('The first 1 of 2.')
    await page.find('input[type=checkbox]').setValue(true)
    await flushPromises()
    expect(asked.at(-1)!.path).toContain('security=true')
  })
  it('one update, on which devices', async () => {
    const across: UpdateOnDevices = {
      total: 1,
      rows: [
        {
          deviceId: 4,
          deviceName: 'tm-gate-1',
          clientName: 'Tidemill Ferries',
          siteName: 'Harbour West',
          silent: true,
          from: '3.0.14',
          to: '3.0.15',
          origin: 'Debian-Security:12/stable-security',
          security: true,
          rating: null,
          held: 'asked',
          since: Date.now() - 3 * day,
        },
      ],
      next: null,
    }
    answerWith({ 'GET /updates/devices': across })
    const page = await open('/estate/updates?update=openssl')
    const row = page.find('tbody tr').text().replace(/\s+/g, ' ')
    expect(row).toContain('3.0.14 → 3.0.15')
    expect(row).toContain('security, on hold')
    expect(row).toContain('silent')
  })
  it('says what there is none of', async () => {
    answerWith({ 'GET /updates/clients': { clients: [], total: 0, next: null }, 'GET /updates/backlog': { days: [] } })
    expect((await open('/estate/updates')).text()).toContain('There are no servers and workstations')
    answerWith({ 'GET /updates': { updates: [], total: 0, devices: 0, next: null } })
    expect((await open('/estate/updates?view=names')).text()).toContain('from version 0.11.0 on')
    answerWith({ 'GET /updates/devices': { total: 0, rows: [], next: null } })
    expect((await open('/estate/updates?update=x')).text()).toContain('It waits on no device')
  })
})

describe('updates of a device', () => {
  const updates = (more: Partial<Updates>): Updates => ({
    security: 0,
    other: 0,
    leftover: 0,
    oldestSecurityAt: null,
    oldestOtherAt: null,
    restartPending: false,
    checkedAt: Date.now() - hour,
    listsAt: Date.now() - hour,
    names: [],
    ...more,
  })
  const shown = async (facts: Facts) => {
    const at = Date.now()
    const device = { facts, heardAt: at, readAt: at, silent: false, failing: [], updates: { isKnown: true } }
    return (await show(DeviceUpdates, { device: device as unknown as DevicePage })).page.text().replace(/\s+/g, ' ')
  }

  it('with what fails, what waits for a restart, and each by its name', async () => {
    const text = await shown({
      updates: updates({
        security: 1,
        held: 1,
        heldSecurity: 1,
        refresh: { since: Date.now() - 3 * day - hour, reason: 'no route' },
        restartPending: true,
        restartSince: Date.now() - 2 * day - hour,
        outdated: [
          { name: 'nginx', service: true, files: ['/usr/lib/libssl.so.3'], since: Date.now() - day - hour },
          { name: 'bash', service: false, files: [], since: Date.now() },
        ],
      }),
      waiting: [
        { name: 'openssl', from: '1', to: '2', security: true, since: Date.now() - day },
        { name: 'php', security: true, held: 'kept', since: Date.now() - day },
      ],
    })
    for (const part of [
      '1 security, 0 other, 1 held back (1 for security)',
      'could not be fetched for 3 d: no route',
      'A restart is pending for 2 d',
      'replaced since they started: nginx for 1 d',
      'outside of services: bash',
      '2 updates by name',
      '1 → 2',
      'kept back by the package manager',
    ])
      expect(text).toContain(part)
  })
  it('of an agent that tells names alone', async () => {
    expect(await shown({ updates: updates({ security: 1, names: ['openssl'] }) })).toContain('1 nameopenssl')
  })
  it('of which not all are told', async () => {
    const waiting = [{ name: 'openssl', security: true, since: 0 }]
    expect(await shown({ updates: updates({ security: 1200 }), waiting })).toContain('1 of 1200 by name')
  })
})
