import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { BoardDevice } from '#contract'
import { useSession } from '../../parts/data/session'
import { answerWith, show } from '../../testing/page'
import EstatePlace from './EstatePlace.vue'

const day = 86_400_000
const device = (id: number, name: string, more: Partial<BoardDevice> = {}): BoardDevice => ({
  id,
  name,
  clientId: 1,
  clientName: 'Tidemill Ferries',
  siteName: 'Harbour',
  kind: 'server',
  osFamily: 'linux',
  osName: 'Debian 12',
  roles: ['web'],
  tags: [],
  worst: null,
  held: 0,
  silent: false,
  disks: [{ mount: '/', size: 100, free: 60, severity: null }],
  services: [],
  updates: { security: 0, other: 0, oldestSecurityAt: null, isKnown: true },
  servicesRead: true,
  failing: [],
  events: Array<number>(24).fill(0),
  errors: Array<number>(24).fill(0),
  heardAt: Date.now(),
  readAt: null,
  interval: 60_000,
  takesTasks: false,
  addresses: [],
  ...more,
})
const estate = [
  device(1, 'tm-a', {
    disks: [
      { mount: '/', size: 100, free: 5, severity: null },
      { mount: '/srv', size: 100, free: 90, severity: null },
    ],
  }),
  device(2, 'tm-b', {
    worst: 'warning',
    updates: { security: 3, other: 1, oldestSecurityAt: Date.now() - 20.5 * day, isKnown: true },
  }),
  device(3, 'tm-c', {
    worst: 'critical',
    services: ['orders', 'labels', 'scales'].map((name) => ({ name, severity: 'critical', held: name === 'labels' })),
  }),
  device(4, 'bb-d', {
    clientId: 2,
    clientName: 'Brindle Bakeries',
    kind: 'workstation',
    roles: [],
    silent: true,
    updates: null,
    heardAt: Date.now() - 3_610_000,
  }),
  device(5, 'bb-e', { clientId: 2, clientName: 'Brindle Bakeries', held: 1 }),
]

async function open(devices: unknown = estate) {
  answerWith({ 'GET /devices': devices, 'GET /roles': [{ id: 'web', name: 'web server' }] })
  const { page, router } = await show(EstatePlace)
  return {
    page,
    router,
    names: () => page.findAll('.device').map((element) => element.text()),
    row: (name: string) => page.findAll('tbody tr').find((element) => element.text().includes(name))!,
  }
}
beforeEach(() => {
  localStorage.clear()
  document.body.innerHTML = ''
})

describe('the board', () => {
  it('begins with what needs a person: worst first, then the silent, then what is held', async () => {
    const { names } = await open()
    expect(names()).toEqual(['tm-c', 'tm-b', 'bb-d', 'bb-e', 'tm-a'])
  })
  it.each([
    ['Device', ['bb-d', 'bb-e', 'tm-a', 'tm-b', 'tm-c']],
    ['Disks', ['tm-a']],
    ['Services', ['tm-c']],
    ['Security', ['tm-b']],
    ['Oldest', ['tm-b']],
    ['Heard', ['bb-d']],
  ])('sorts by %s', async (title, first) => {
    const { page, names } = await open()
    await page
      .findAll('.sort')
      .find((element) => element.text() === title)!
      .trigger('click')
    expect(names().slice(0, first.length)).toEqual(first)
  })
  it('is narrowed by a sentence, which counts what matches', async () => {
    const { page, names } = await open()
    await page.find('select[aria-label=Kind]').setValue('workstation')
    expect(names()).toEqual(['bb-d'])
    expect(page.text()).toContain('1 match')
    await page.find('select[aria-label=State]').setValue('held')
    expect(page.text()).toContain('No device matches this sentence.')
    await page.find('select[aria-label=Kind]').setValue('')
    expect(names()).toEqual(['bb-e'])
  })
  it('says nothing of services that nobody knows: never heard, never read, or silent since then', async () => {
    const { row } = await open([
      device(1, 'tm-never', { heardAt: null, servicesRead: false }),
      device(2, 'tm-unread', { servicesRead: false }),
      device(3, 'tm-silent', { silent: true, heardAt: Date.now() - 3_600_000 }),
      device(4, 'tm-well'),
    ])
    expect(row('tm-never').text()).toContain('not known')
    expect(row('tm-unread').text()).toContain('not read')
    expect(row('tm-silent').text()).toContain('as of ')
    for (const name of ['tm-never', 'tm-unread', 'tm-silent'])
      expect(row(name).text()).not.toContain('as they should be')
    expect(row('tm-well').text()).toContain('as they should be')
  })
  it('shows the client in view alone', async () => {
    const { page, names } = await open()
    useSession().choose(2)
    await flushPromises()
    expect(names()).toEqual(['bb-d', 'bb-e'])
    expect(page.text()).toContain('2 devices at 1 client')
  })
  it('says what a device suffers from in words: two services and how many more, an update’s age, since when it is silent', async () => {
    const { row } = await open()
    expect(row('tm-c').text()).toContain('orderslabels held +1')
    expect(row('tm-b').text()).toMatch(/3 of 4\s*20 d/)
    expect(row('bb-d').text()).toContain('not read')
    expect(row('bb-d').find('b').text()).toBe('1 h')
  })
  it('tells nothing to show from not allowed and from not reached', async () => {
    expect((await open([])).page.text()).toContain('No device matches')
    expect((await open(403)).page.text()).toContain('refused with 403')
    answerWith({})
    const { page } = await show(EstatePlace)
    await vi.waitFor(() => {
      expect(page.text()).toContain('The server is not reached')
    })
  })
  it('lets several be chosen, by mouse or key, and offers what can be done with them', async () => {
    answerWith({
      'GET /session': {
        id: 1,
        email: 'a@lanternfield.example',
        name: 'A',
        access: 'technician',
        clientIds: null,
        lookedAt: 0,
      },
      'GET /clients': [],
      'GET /devices': estate,
      'GET /roles': [],
    })
    const { page, router } = await show(EstatePlace)
    await useSession().load()
    await page
      .findAll('button')
      .find((element) => element.text() === 'choose several')!
      .trigger('click')
    await page
      .findAll('tbody tr')
      .find((element) => element.text().includes('bb-e'))!
      .trigger('click')
    for (const key of ['j', 'x']) window.dispatchEvent(new KeyboardEvent('keydown', { key }))
    await flushPromises()
    expect(page.text()).toContain('2 chosen')
    expect(router.currentRoute.value.path).toBe('/')
    expect(
      page
        .findAll('a')
        .find((element) => element.text() === 'Send agents to them anew')!
        .attributes('href'),
    ).toBe('/rollout?part=waves&devices=5,2')
    page.unmount()
  })
  it('is walked with j and k, and a row opens its device', async () => {
    const { page, router, row } = await open()
    for (const key of ['j', 'j', 'k']) window.dispatchEvent(new KeyboardEvent('keydown', { key }))
    expect(document.activeElement?.textContent).toBe('tm-b')
    await row('bb-e').trigger('click')
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/estate/5')
    page.unmount()
  })
})
