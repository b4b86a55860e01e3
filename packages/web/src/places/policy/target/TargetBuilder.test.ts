import { flushPromises, type VueWrapper } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { TargetMatches } from '#contract'
import type { Target } from '#core'
import { answerWith, choose, show } from '../../../testing/page'
import { asGroup, simplest } from './conditions'
import TargetBuilder from './TargetBuilder.vue'

const matches = (more: Partial<TargetMatches> = {}): TargetMatches => ({
  sentence: 'every web server',
  faults: [],
  devices: 2,
  clients: 1,
  sample: [
    { deviceId: 4, deviceName: 'tm-web-1', clientName: 'Tidemill Ferries', siteName: 'Harbour' },
    { deviceId: 5, deviceName: 'tm-web-2', clientName: 'Tidemill Ferries', siteName: 'Harbour' },
  ],
  ...more,
})
beforeEach(() => {
  document.body.innerHTML = ''
})

async function open(target: Target, answer: unknown = matches()) {
  const asked = answerWith({ 'GET /roles': [{ id: 'web', name: 'web server' }], 'POST /targets/matches': answer })
  const { page } = await show(TargetBuilder, { target })
  await vi.waitFor(
    () => {
      if (!asked.some((request) => request.path === '/targets/matches')) throw new Error('not asked yet')
    },
    { timeout: 20_000 },
  )
  await flushPromises()
  return { page, asked }
}
const said = (page: VueWrapper) => page.emitted('change')?.at(-1)?.[0]
const press = (page: VueWrapper, text: string, n = 0) =>
  page
    .findAll('button')
    .filter((button) => button.text() === text)
    [n]!.trigger('click')

describe('a target while it is built', () => {
  it('says itself and how many devices it matches, and lists them when asked', async () => {
    const { page } = await open({ on: 'role', role: 'web' })
    expect(page.text()).toContain('every web server')
    expect(page.get('[data-matches]').text()).toBe('2 devices')
    expect(page.text()).toContain('standing: also those that come later')
    expect(page.find('.names').exists()).toBe(false)
    await press(page, 'which?')
    expect(page.get('.names').text()).toBe('tm-web-1, tm-web-2')
  })
  it('grows by conditions and groups, and is simple again when they go', async () => {
    const { page } = await open({ on: 'role', role: 'web' })
    await press(page, 'leave some out')
    expect(said(page)).toEqual({
      on: 'all',
      of: [
        { on: 'role', role: 'web' },
        { on: 'except', of: [{ on: 'tag', tag: '' }] },
      ],
    })
    await page.get('[aria-label="Tag"]').setValue('lab')
    expect(said(page)).toEqual({
      on: 'all',
      of: [
        { on: 'role', role: 'web' },
        { on: 'except', of: [{ on: 'tag', tag: 'lab' }] },
      ],
    })
    await page.findAll('[aria-label="Remove condition 1"]')[0]!.trigger('click')
    await page.get('[aria-label="Remove this group"]').trigger('click')
    expect(said(page)).toEqual({ on: 'all', of: [] })
  })
  it('another sort of condition begins anew', async () => {
    const { page } = await open({ on: 'role', role: 'web' })
    await choose(page, 'Condition 1', 'network')
    expect(said(page)).toEqual({ on: 'network', network: '' })
    await page.get('[aria-label="Address range"]').setValue('192.0.2.0/24')
    expect(said(page)).toEqual({ on: 'network', network: '192.0.2.0/24' })
  })
  it('shows each fault at its condition, and counts nothing then', async () => {
    const { page } = await open(
      {
        on: 'all',
        of: [
          { on: 'role', role: 'web' },
          { on: 'any', of: [{ on: 'tag', tag: '' }] },
        ],
      },
      matches({ faults: [{ at: [1, 0], message: 'Type a tag.' }] }),
    )
    expect(page.get('fieldset fieldset .condition [role=alert]').text()).toBe('Type a tag.')
    expect(page.text()).toContain('Not complete: 1 place needs your attention.')
    expect(page.find('[data-matches]').exists()).toBe(false)
  })
  it('is narrowed by hand to the devices of today', async () => {
    const { page } = await open({ on: 'role', role: 'web' })
    await press(page, 'only these 2')
    expect(said(page)).toEqual({ on: 'devices', deviceIds: [4, 5] })
  })
  it('that matches nothing may be kept, and says so', async () => {
    const { page } = await open({ on: 'tag', tag: 'soon' }, matches({ devices: 0, clients: 0, sample: [] }))
    expect(page.text()).toContain('0 devices now. It may be saved all the same')
  })
})

it('a group of one is that one, but for what is left out', () => {
  const lab: Target = { on: 'tag', tag: 'lab' }
  expect(simplest({ on: 'all', of: [{ on: 'any', of: [lab] }] })).toEqual(lab)
  expect(simplest({ on: 'all', of: [{ on: 'except', of: [lab] }] })).toEqual({ on: 'except', of: [lab] })
  expect(asGroup({ on: 'except', of: [lab] })).toEqual({ on: 'all', of: [{ on: 'except', of: [lab] }] })
})
