import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Impact, TemplatePage } from '#contract'
import { useSession } from '../../../parts/data/session'
import { answerWith, Feed, show } from '../../../testing/page'
import { useDraft } from '../impact/draft'
import ImpactView from '../impact/ImpactView.vue'
import TemplatePlace from './TemplatePlace.vue'
import WatchRow from './WatchRow.vue'

const template = (more: Partial<TemplatePage> = {}): TemplatePage => ({
  id: 3,
  name: 'Web server',
  description: 'answers',
  includes: [],
  includedBy: [],
  revision: 1,
  watchCount: 1,
  deviceCount: 2,
  exceptionCount: 0,
  savedAt: 0,
  savedBy: 'Mara Velde',
  assignments: [],
  exceptions: [],
  watches: [
    {
      key: 'web',
      kind: 'service-state',
      name: 'Web service',
      why: 'Nobody is served without it.',
      osFamilies: [],
      values: { which: 'named', names: ['nginx'], hold: 60_000 },
    },
  ],
  revisions: [],
  ...more,
})
beforeEach(() => {
  document.body.innerHTML = ''
})

describe('a template while it is edited', () => {
  const begun = () => {
    const draft = useDraft((id) => `template ${id}`)
    draft.begin(template())
    return draft
  }
  it('is one step once something differs, and none when it is put back', () => {
    const draft = begun()
    expect(draft.steps.value).toBeNull()
    draft.setValue('web', 'hold', 120_000)
    expect(draft.words.value).toEqual(['Web service: Hold 60 s → 2 min'])
    expect(draft.steps.value).toMatchObject([
      { of: 'template', id: 3, basedOn: 1, to: { watches: [{ values: { hold: 120_000 } }] } },
    ])
    draft.setValue('web', 'hold', 60_000)
    expect(draft.dirty.value).toBe(false)
  })
  it('leaves a value open, adds watches with keys of their own, moves and removes them', () => {
    const draft = begun()
    draft.leaveOpen('web', 'hold')
    expect([draft.add('cpu-busy'), draft.add('cpu-busy')]).toEqual(['cpu-busy', 'cpu-busy.2'])
    draft.move('cpu-busy', -1)
    draft.remove('cpu-busy.2')
    expect(draft.words.value).toEqual(['CPU busy: added', 'Web service: Hold 60 s → default (60 s)'])
    expect(draft.body.value!.watches.map((watch) => watch.key)).toEqual(['cpu-busy', 'web'])
  })
  it('goes on top of what somebody else saved', () => {
    const draft = begun()
    draft.setValue('web', 'hold', 120_000)
    expect(draft.rebase(template({ revision: 2, description: 'answers everybody' }))).toEqual([])
    expect(draft.steps.value).toMatchObject([
      { basedOn: 2, to: { description: 'answers everybody', watches: [{ values: { hold: 120_000 } }] } },
    ])
  })
})

it('a watch shows every parameter with its default and what it does, and which values are its own', async () => {
  answerWith({})
  const { page } = await show(WatchRow, {
    spec: template().watches[0],
    saved: template().watches[0],
    number: 1,
    editable: true,
    faults: ['Hold must be shorter.'],
  })
  expect(page.text()).toContain('Hold must be shorter.')
  await page.get('[aria-label="More of Web service"]').trigger('click')
  const hold = page.findAll('tbody tr').find((row) => row.text().startsWith('Hold'))!
  expect(hold.text()).toContain('common practice, no source')
  await hold.get('[aria-label="Use the default for Hold"]').trigger('click')
  expect(page.emitted('open')).toEqual([['hold']])
  await page.findAll('input[type=checkbox]')[0]!.setValue(true)
  expect(page.emitted('change')).toEqual([[{ osFamilies: ['linux'] }]])
})

const impact: Impact = {
  devices: 3,
  clients: 2,
  keepOwn: 1,
  added: 0,
  removed: 0,
  altered: 3,
  cost: { readings: [5000, 2000], events: null, logs: ['System'], entries: null },
  watches: [
    {
      key: 'web',
      name: 'Web service',
      change: 'altered',
      parameters: ['hold'],
      moves: [],
      devices: 3,
      before: [{ text: 'when stopped for 60 s' }],
      after: [{ text: 'when stopped for 2 min' }],
    },
  ],
  examples: [{ deviceId: 4, deviceName: 'tm-web-1', clientId: 1, clientName: 'Tidemill Ferries', watches: [0] }],
}
it('an impact says how many, what it costs, and on request each watch before and after', async () => {
  answerWith({})
  const { page } = await show(ImpactView, { impact, title: 'If you save this' })
  expect(page.text()).toContain('3 devices')
  expect(page.text()).toContain('at 2 clients; 1 with exceptions of their own')
  expect(page.text()).toContain('3,000 readings a day less (5,000 → 2,000)')
  expect(page.text()).toContain('System read anew: nobody knows yet how many entries a day')
  await page.get('.watches button').trigger('click')
  expect([page.get('.gone').text(), page.get('.detail .names').text()]).toEqual([
    'when stopped for 60 s',
    'tm-web-1 and 2 more',
  ])
  expect(page.get('details').text()).toContain('tm-web-1 Tidemill Ferries → Web service')
})
it('an impact on nobody says that it may be saved all the same', async () => {
  answerWith({})
  const { page } = await show(ImpactView, {
    impact: { ...impact, devices: 0, altered: 0, watches: [], examples: [] },
    title: '',
  })
  expect(page.text()).toContain('No device would change. It may be saved all the same.')
})

describe('the place of a template', () => {
  it('tells the second of two people what the first has saved, and lets nothing be overwritten', async () => {
    const others = { 'GET /templates': [template()], 'GET /roles': [], 'POST /policy/impact': impact }
    const asked = answerWith({ 'GET /templates/3': template(), ...others })
    const { page } = await show(TemplatePlace, {}, '/policy/3', '/policy/:id')
    useSession().person = {
      id: 1,
      email: 'lead@lanternfield.example',
      name: 'Mara Velde',
      access: 'lead',
      clientIds: null,
      lookedAt: 0,
      isFactorDue: false,
    }
    await vi.waitFor(
      () => {
        expect(page.find('[aria-label="Name of the template"]').exists()).toBe(true)
      },
      { timeout: 20_000 },
    )
    await page.get('[aria-label="What it is for"]').setValue('answers quickly')
    await vi.waitFor(
      () => {
        expect(asked.some((request) => request.path === '/policy/impact')).toBe(true)
      },
      { timeout: 20_000 },
    )
    const feed = Feed.last
    answerWith({ 'GET /templates/3': template({ revision: 2, savedBy: 'Ines Vantorre', watches: [] }), ...others })
    feed.announce({ topic: 'policy', clientIds: null, deviceIds: [] })
    await vi.waitFor(
      () => {
        expect(page.text()).toContain('Revision 2 was saved by Ines Vantorre while you edited.')
      },
      { timeout: 20_000 },
    )
    expect(page.text()).toContain('Web service: removed')
    expect(
      page
        .findAll('button')
        .find((button) => button.text().startsWith('Save for'))!
        .attributes('disabled'),
    ).toBeDefined()
    await page
      .findAll('button')
      .find((button) => button.text() === 'Apply my change to it')!
      .trigger('click')
    expect(page.text()).not.toContain('while you edited')
    expect(page.text()).toContain('described anew')
  })
})
