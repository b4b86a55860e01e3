import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { BoardCounts, BoardDevice, BoardPage } from '#contract'
import { useSession } from '../../parts/data/session'
import { answerWith, choose, Feed, giveRoom, show } from '../../testing/page'
import DataTable from '../../parts/ui/DataTable.vue'
import { answersBoard } from './board'
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

const counts: BoardCounts = {
  total: 5,
  clients: 2,
  kinds: [{ value: 'server', count: 4 }],
  roles: [{ value: 'web', count: 4 }],
  states: [{ value: 'held', count: 1 }],
}

async function open(
  devices: unknown = estate,
  more: Partial<BoardPage> = {},
  at = '/',
  slow: Record<string, Promise<unknown>> = {},
) {
  const whole = Array.isArray(devices) ? { devices: devices as BoardDevice[], next: null, counts, ...more } : devices
  const asked = answerWith({
    ...slow,
    'GET /devices': whole,
    'GET /device-rows': [device(2, 'tm-b', { worst: null, services: [] })],
    'GET /roles': [{ id: 'web', name: 'web server' }],
    'GET /views': [],
  })
  const { page, router } = await show(EstatePlace, {}, at)
  await flushPromises()
  const queries = () =>
    asked.filter(({ path }) => path.startsWith('/devices?')).map(({ path }) => path.replace('/devices?', ''))
  return {
    page,
    router,
    asked,
    last: () => queries().at(-1),
    names: () => page.findAll('.device').map((element) => element.text()),
    row: (name: string) => page.findAll('.el-table-v2__row').find((element) => element.text().includes(name))!,
  }
}
// A page that is still there would answer to the keys and the feed of the next one.
enableAutoUnmount(afterEach)
beforeEach(() => {
  localStorage.clear()
  document.body.innerHTML = ''
  giveRoom()
})

describe('the board', () => {
  it('shows what the server gives, in its order, and says of how many', async () => {
    const { page, names, last } = await open()
    expect(names()).toEqual(['tm-a', 'tm-b', 'tm-c', 'bb-d', 'bb-e'])
    expect(page.text()).toContain('5 devices at 2 clients')
    expect(page.text()).toContain('All 5 are here.')
    expect(last()).toBe('order=needs')
  })
  it.each([
    ['Device', 'order=name'],
    ['Disks', 'order=disks'],
    ['Log, last day', 'order=log'],
    ['Heard', 'order=heard'],
  ])('sorts by %s, at the second press from its end, and it stands in the address', async (title, query) => {
    const { page, router, last } = await open()
    const press = async () => {
      await page
        .findAll('.sort')
        .find((element) => element.text().replace(/ [↑↓]$/, '') === title)!
        .trigger('click')
      await flushPromises()
    }
    await press()
    expect(last()).toBe(query)
    await press()
    expect(last()).toBe(`${query}&reversed=true`)
    expect(router.currentRoute.value.fullPath).toBe(`/?${query}&reversed=1`)
  })
  it('is narrowed by a sentence and by words, each with how many it would leave', async () => {
    const { page, router, last } = await open()
    await choose(page, 'Kind', 'workstation')
    await choose(page, 'State', 'held')
    await page.get('[aria-label="Narrow by words"]').setValue('tm & co')
    await flushPromises()
    expect(last()).toBe('order=needs&kind=workstation&state=held&words=tm+%26+co')
    await choose(page, 'Kind', '')
    expect(last()).toBe('order=needs&state=held&words=tm+%26+co')
    expect(router.currentRoute.value.query).toEqual({ state: 'held', words: 'tm & co' })
    const kinds = page.findAllComponents({ name: 'ElSelectV2' })[0]!.props('options') as { hint: string }[]
    expect(kinds.map(({ hint }) => hint)).toEqual(['', '4', '0'])
  })
  it('keeps in sight what answers the words while the server is asked, and counts nothing meanwhile', async () => {
    let answer: (page: unknown) => void = () => undefined
    const slow = new Promise((resolve) => (answer = resolve))
    const { page, names } = await open(estate, {}, '/', { 'GET /devices?order=needs&words=brindle': slow })
    await page.get('[aria-label="Narrow by words"]').setValue('brindle')
    await flushPromises()
    expect(names()).toEqual(['bb-d', 'bb-e'])
    expect(page.text()).not.toContain('5 devices')
    answer({
      devices: [estate[4], estate[3], device(9, 'bb-z')],
      next: null,
      counts: { ...counts, total: 3, clients: 1 },
    })
    await flushPromises()
    expect(names()).toEqual(['bb-e', 'bb-d', 'bb-z'])
    expect(page.text()).toContain('3 devices at 1 client')
  })
  it('does not say that it is all there is when the server is not reached for it', async () => {
    const away = Promise.reject(new TypeError('away'))
    away.catch(() => undefined)
    const slow = { 'GET /devices?order=needs&words=brindle': away }
    const { page, asked, names } = await open(estate, {}, '/', slow)
    await page.get('[aria-label="Narrow by words"]').setValue('brindle')
    const tries = () => asked.filter(({ path }) => path.endsWith('words=brindle')).length
    await vi.waitFor(() => expect(tries()).toBe(2), 5000)
    await flushPromises()
    expect(names()).toEqual(['bb-d', 'bb-e'])
    expect(page.text()).not.toMatch(/are here|5 devices/)
  })
  it('does not say that there is nothing before the server has said so', async () => {
    const { page } = await open(estate, {}, '/', {
      'GET /devices?order=needs&words=quill': new Promise(() => undefined),
    })
    await page.get('[aria-label="Narrow by words"]').setValue('quill')
    await flushPromises()
    expect(page.text()).not.toContain('No device matches')
  })
  it.each<[query: string, names: string]>([
    ['kind=workstation', 'bb-d'],
    ['role=web', 'tm-a tm-b tm-c bb-e'],
    ['state=needs', 'tm-b tm-c bb-d'],
    ['state=held', 'bb-e'],
    ['state=silent&client=2', 'bb-d'],
    ['client=1&words=FERR', 'tm-a tm-b tm-c'],
    ['words=_', ''],
    ['words=harbour+debian+12+web', 'tm-a tm-b tm-c bb-e'],
  ])('knows by itself which of those it has answer %s', (query, expected) => {
    const found = estate.filter((each) => answersBoard(query, each))
    expect(found.map(({ name }) => name).join(' ')).toBe(expected)
  })
  it('opens as a colleague has sent it', async () => {
    const { last } = await open(estate, {}, '/?order=disks&reversed=1&role=web&words=x')
    expect(last()).toBe('order=disks&reversed=true&role=web&words=x')
  })
  it('asks for what is below as somebody comes near it, once, and says how much was read', async () => {
    const { page, asked, names } = await open(estate, { next: 'there', counts: { ...counts, total: 900 } })
    const table = page.findComponent(DataTable)
    for (let i = 0; i < 3; i++) table.vm.$emit('near')
    await flushPromises()
    expect(asked.filter(({ path }) => path.includes('after=there'))).toHaveLength(1)
    // What stands in the list already is not shown twice.
    await flushPromises()
    expect(names()).toEqual(['tm-a', 'tm-b', 'tm-c', 'bb-d', 'bb-e'])
    expect(page.text()).toContain('5 of 900 read')
  })
  it('brings rows that reported up to date where they stand, without reading the list again', async () => {
    const { page, row, asked } = await open()
    page.findComponent(DataTable).vm.$emit('see', 0, 4)
    vi.useFakeTimers()
    try {
      const before = asked.filter(({ path }) => path.startsWith('/devices?')).length
      Feed.last.announce({ topic: 'reports', clientIds: [1], deviceIds: [2] })
      await vi.advanceTimersByTimeAsync(1500)
      await flushPromises()
      expect(asked.filter(({ path }) => path.startsWith('/device-rows')).map(({ path }) => path)).toEqual([
        '/device-rows?ids=2',
      ])
      expect(asked.filter(({ path }) => path.startsWith('/devices?'))).toHaveLength(before)
      expect(row('tm-b').text()).not.toContain('3 of 4')
    } finally {
      vi.useRealTimers()
    }
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
  it('asks for the client in view alone', async () => {
    const { last, router } = await open(estate, {}, '/?client=1')
    expect(last()).toBe('order=needs&client=1')
    // The address follows, so that it can be sent; a link within the place leads to its client.
    useSession().choose(2)
    await flushPromises()
    expect(last()).toBe('order=needs&client=2')
    expect(router.currentRoute.value.query).toEqual({ client: '2' })
    await router.push('/?client=1')
    await flushPromises()
    expect(last()).toBe('order=needs&client=1')
    useSession().choose(null)
    await flushPromises()
    expect([last(), router.currentRoute.value.fullPath]).toEqual(['order=needs', '/'])
  })
  it('says what a device suffers from in words: two services and how many more, an update’s age, since when it is silent', async () => {
    const { row } = await open()
    expect(row('tm-c').text()).toMatch(/orderslabels held\s*\+1/)
    expect(row('tm-b').text()).toMatch(/3 of 4\s*20 d/)
    expect(row('bb-d').text()).toContain('not read')
    expect(row('bb-d').find('b').text()).toBe('1 h')
  })
  it('tells nothing to show from not allowed and from not reached', async () => {
    expect((await open([])).page.text()).toContain('No device matches')
    expect((await open(403)).page.text()).toContain('refused with 403')
    answerWith({})
    const { page } = await show(EstatePlace)
    await vi.waitFor(
      () => {
        expect(page.text()).toContain('The server is not reached')
      },
      { timeout: 20_000 },
    )
  }, 60_000)
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
      'GET /devices': { devices: estate, next: null, counts },
      'GET /roles': [],
      'GET /views': [],
    })
    const { page, router } = await show(EstatePlace)
    await useSession().load()
    await flushPromises()
    await page
      .findAll('button')
      .find((element) => element.text() === 'choose several')!
      .trigger('click')
    await page
      .findAll('.el-table-v2__row')
      .find((element) => element.text().includes('bb-d'))!
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
    ).toBe('/rollout?part=waves&devices=4,5')
  })
  it('is walked by j and k and by the keys of a list, and Enter or a click opens a device', async () => {
    const { page, router, row } = await open()
    const current = () => page.get('.el-table-v2__row.current .device').text()
    for (const key of ['j', 'j', 'k']) window.dispatchEvent(new KeyboardEvent('keydown', { key }))
    await flushPromises()
    expect(current()).toBe('tm-b')
    const grid = page.get('[role=grid]')
    for (const [key, name] of [
      ['End', 'bb-e'],
      ['ArrowUp', 'bb-d'],
      ['Home', 'tm-a'],
      ['ArrowDown', 'tm-b'],
    ] as const) {
      await grid.trigger('keydown', { key })
      await flushPromises()
      expect([key, current()]).toEqual([key, name])
    }
    await grid.trigger('keydown', { key: 'Enter' })
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/estate/2')
    await row('bb-e').trigger('click')
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/estate/5')
  })
})
