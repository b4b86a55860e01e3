import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ref, shallowRef } from 'vue'
import { gapWaiverSchema, type CoveragePage, type GapGroupView, type GapView, type RemedyPreview } from '#contract'
import { groupsBy } from '#core'
import { useSession } from '../../../parts/data/session'
import { answerWith, choicesOf, show, type Answers } from '../../../testing/page'
import CoveragePart from './CoveragePart.vue'

const device = (id: number, clientId = 1) => ({
  id,
  name: `tm-gate-${id}`,
  clientId,
  clientName: `Client ${clientId}`,
  siteName: 'Harbour',
})
const gap = (instance: string, more: Partial<GapView> = {}): GapView => ({
  need: 'web.log.linux',
  instance,
  on: 'log',
  role: 'web',
  roleName: 'web server',
  why: 'Because.',
  uncollected: true,
  unwatched: true,
  trouble: '',
  total: 2,
  devices: [device(1), device(2)],
  ...more,
})
const preview: RemedyPreview = {
  collect: { logs: ['nginx/error.log'], collectors: [] },
  templates: [{ name: 'What a web server needs', made: true, targetText: 'tm-gate-1, tm-gate-2' }],
  watches: [
    {
      name: 'Errors',
      sentence: [{ text: 'In the log, when ' }, { parameter: 'level', text: 'error' }, { text: ' appears.' }],
    },
  ],
  impact: {
    devices: 2,
    clients: 1,
    keepOwn: 0,
    added: 2,
    removed: 0,
    altered: 0,
    watches: [],
    examples: [],
    cost: { readings: [0, 0], events: 0, logs: [], entries: null },
  },
}
const person = { id: 1, email: 'a@lanternfield.example', name: 'A', access: 'technician', clientIds: null, lookedAt: 0 }

async function open(gaps: GapView[], answers: Answers = {}, access = 'technician') {
  const asked = answerWith({
    'GET /session': { ...person, access },
    'GET /clients': [],
    'GET /coverage/waivers': { total: 0, waivers: [], next: null },
    'GET /collect-rules': [],
    'POST /coverage/devices': [
      ...new Map(gaps.flatMap(({ devices }) => devices).map((each) => [each.id, each])).values(),
    ],
    'POST /coverage/preview': preview,
    'POST /coverage/fill': { devices: 2 },
    'POST /coverage/waivers': { devices: 2 },
    ...answers,
  })
  const groups = [...groupsBy(gaps, ({ roleName }) => roleName)].map(([title, of]): GapGroupView => ({
    title,
    clientId: null,
    deviceId: null,
    gaps: of,
  }))
  const data = shallowRef<CoveragePage>({ total: gaps.length, groups, rest: 0, next: null })
  const by = ref('need')
  const { page } = await show(CoveragePart, {
    coverage: { by, more: () => undefined, data, error: shallowRef(null), refresh: () => Promise.resolve() },
  })
  await useSession().load()
  await flushPromises()
  const press = async (words: string) => {
    await page
      .findAll('button')
      .find((element) => element.text().startsWith(words))!
      .trigger('click')
    await flushPromises()
  }
  return {
    page,
    by,
    asked,
    press,
    posted: (path: string) =>
      asked.filter((request) => request.method === 'POST' && request.path === path).map((request) => request.body),
  }
}
beforeEach(() => {
  localStorage.clear()
  document.body.innerHTML = ''
})

describe('coverage', () => {
  it('says so when nothing is missing', async () => {
    expect((await open([])).page.text()).toContain(
      'Everything that the roles of these devices need is collected and watched.',
    )
  })
  it('shows what a remedy adds before it is added, and adds just that', async () => {
    const { page, press, posted } = await open([gap('nginx/error.log')])
    await press('see what it would add')
    expect(page.text()).toContain('A new template What a web server needs is assigned to tm-gate-1, tm-gate-2.')
    expect(page.text()).toContain('In the log, when error appears.')
    expect(posted('/coverage/fill')).toEqual([])
    await press('Add on 2 devices')
    expect(posted('/coverage/fill')).toEqual([
      { gaps: [{ need: 'web.log.linux', instance: 'nginx/error.log' }], everywhere: false, deviceIds: [1, 2] },
    ])
  })
  it('takes all gaps of a role at once, but for those that only somebody at the machine can close', async () => {
    const { press, posted, page } = await open([
      gap('nginx/error.log'),
      gap('apache2/error.log', { devices: [device(3)] }),
      gap('lighttpd/error.log', {
        uncollected: false,
        unwatched: false,
        trouble: 'cannot be read there: permission denied',
      }),
    ])
    expect(page.text()).toContain('cannot be read there: permission denied')
    await press('see what all 2 would add')
    expect(posted('/coverage/preview').at(-1)).toEqual({
      gaps: [
        { need: 'web.log.linux', instance: 'nginx/error.log' },
        { need: 'web.log.linux', instance: 'apache2/error.log' },
      ],
      everywhere: false,
      deviceIds: [1, 2, 3],
    })
  })
  it('offers every device of the role to a lead only', async () => {
    const places = async (access: string) => {
      const { page, press } = await open([gap('nginx/error.log')], {}, access)
      await press('see what it would add')
      return choicesOf(page, 'Where')
    }
    expect(await places('technician')).toEqual(['these 2 devices'])
    expect(await places('lead')).toEqual(['these 2 devices', 'every web server'])
  })
  it('a refusal stays in sight, and nothing is lost', async () => {
    const { page, press } = await open([gap('nginx/error.log')], { 'POST /coverage/preview': 403 })
    await press('see what it would add')
    expect(page.find('aside').text()).toContain('refused with 403')
    expect(page.findAll('tbody tr')).toHaveLength(1)
  })
  it('what is not needed is said with a reason', async () => {
    const { page, press, posted } = await open([gap('nginx/error.log')])
    await press('see what it would add')
    await press('Not needed here')
    const say = async (reason: string) => {
      await page.get('aside form input').setValue(reason)
      await page.get('aside form').trigger('submit')
    }
    // The fault stands at its field, in the words that the server would use, and nothing is sent.
    await say('no')
    await vi.waitFor(
      () =>
        expect(page.get('aside .el-form-item__error').text()).toBe(
          gapWaiverSchema.extract('reason').validate('no', { errors: { label: false } }).error!.message,
        ),
      { timeout: 20_000 },
    )
    expect(posted('/coverage/waivers')).toEqual([])
    await say('It only redirects.')
    await vi.waitFor(
      () =>
        expect(posted('/coverage/waivers')).toEqual([
          { need: 'web.log.linux', instance: 'nginx/error.log', deviceIds: [1, 2], reason: 'It only redirects.' },
        ]),
      { timeout: 20_000 },
    )
  })
  it('looks for the devices of a gap just as it was shown, within the client or device that it stands under', async () => {
    const { press, asked } = await open([gap('nginx/error.log', { total: 400 })])
    await press('see what it would add')
    expect(asked.find(({ path }) => path === '/coverage/devices')!.body).toEqual({
      gaps: [{ need: 'web.log.linux', instance: 'nginx/error.log', uncollected: true, unwatched: true, trouble: '' }],
      clientId: null,
      deviceId: null,
    })
  })
  it('names three devices and says how many more there are', async () => {
    const { page } = await open([gap('nginx/error.log', { total: 400 })])
    expect(page.text()).toContain('400 devices tm-gate-1, tm-gate-2 and 398 more')
  })
  it('is grouped by client on request, and what was chosen is left', async () => {
    const { page, press, by } = await open([gap('nginx/error.log')])
    await press('see what it would add')
    await press('client')
    expect([by.value, page.find('aside').exists()]).toEqual(['client', false])
  })
})
