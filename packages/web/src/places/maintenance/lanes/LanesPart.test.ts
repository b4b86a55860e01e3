import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Lanes, LaneSpan } from '#contract'
import { hour } from '#core'
import { useSession } from '../../../parts/data/session'
import { answerWith, giveRoom, show } from '../../../testing/page'
import LanesPart from './LanesPart.vue'

const person = { id: 1, email: 'a@lanternfield.example', name: 'A', access: 'technician', clientIds: null, lookedAt: 0 }
const day = Date.parse('2027-06-01T00:00:00')
const span = (more: Partial<LaneSpan> = {}): LaneSpan => ({
  windowId: 4,
  occurrence: 9,
  start: day + 10 * hour,
  name: 'Radar cabling',
  from: day + 10 * hour,
  until: day + 14 * hour,
  repeats: false,
  revision: 1,
  movable: true,
  ...more,
})
const lane = (clientId: number, name: string, spans: LaneSpan[]) => ({
  clientId,
  siteId: null,
  name,
  zone: 'UTC',
  spans,
})

beforeEach(() => {
  document.body.innerHTML = ''
  giveRoom()
})
afterEach(() => vi.unstubAllGlobals())

async function open(lanes: Partial<Lanes>) {
  const asked = answerWith({
    'GET /session': person,
    'GET /clients': [],
    'GET /lanes': { now: day, more: 0, shared: [], lanes: [], ...lanes },
  })
  const { page, router } = await show(LanesPart, {}, '/?days=3&from=2027-06-01')
  await useSession().load()
  await flushPromises()
  return { page, router, asked }
}

describe('lanes', () => {
  it('are asked for the days in the address, and by keys for those before and after', async () => {
    const { asked, router } = await open({})
    expect(asked.map(({ path }) => path)).toContain(`/lanes?from=${day}&until=${day + 72 * hour}`)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'f', bubbles: true }))
    await flushPromises()
    expect(router.currentRoute.value.query.from).toBe('2027-06-04')
  })
  it('a window is moved by the arrow keys, stretched with Shift, and told on Enter; Escape puts it back', async () => {
    const { page } = await open({ lanes: [lane(1, 'Tidemill Ferries', [span()])] })
    const shown = page.get('[data-span]')
    await shown.trigger('keydown', { key: 'ArrowRight' })
    await shown.trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect(shown.attributes('aria-label')).toContain('not saved')
    await shown.trigger('keydown', { key: 'Escape' })
    expect(shown.attributes('aria-label')).not.toContain('not saved')
    await shown.trigger('keydown', { key: 'ArrowLeft' })
    await shown.trigger('keydown', { key: 'Enter' })
    expect(page.emitted('moved')).toEqual([[span(), day + 9.75 * hour, day + 13.75 * hour]])
  })
  it('one that has begun, or has no end, stays where it is', async () => {
    const fixed = [span({ movable: false }), span({ occurrence: 10, until: null })]
    const { page } = await open({ lanes: [lane(1, 'Tidemill Ferries', fixed)] })
    for (const shown of page.findAll('[data-span]')) {
      await shown.trigger('keydown', { key: 'ArrowRight' })
      await shown.trigger('keydown', { key: 'Enter' })
    }
    expect(page.emitted('moved')).toBeUndefined()
  })
  it('of many clients those with nothing planned are counted, and shown when somebody wants to see them', async () => {
    const many = Array.from({ length: 30 }, (_, i) => lane(i + 1, `Client ${i + 1}`, i === 3 ? [span()] : []))
    const { page } = await open({ lanes: many })
    expect(page.findAll('[data-lane]')).toHaveLength(1)
    expect(page.text()).toContain('29 clients with nothing planned in this time')
    await page
      .findAll('button')
      .find((button) => button.text() === 'show them')!
      .trigger('click')
    expect(page.findAll('[data-lane]')).toHaveLength(30)
  })
})
