import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { answerWith, show } from '../../testing/page'
import FinderBox from './FinderBox.vue'

const device = { kind: 'device', id: 7, title: 'sv-north-dc', context: 'Saltmarsh Veterinary', path: '/estate/7' }
enableAutoUnmount(afterEach)
beforeEach(() => {
  vi.useFakeTimers()
})
afterEach(() => {
  vi.useRealTimers()
})

async function finder(found: unknown[]) {
  answerWith({ 'GET /find': found })
  const { page, router } = await show(FinderBox)
  const input = page.get('input')
  await input.trigger('focus')
  await input.setValue('sv-north-dc')
  const answer = async () => {
    await vi.advanceTimersByTimeAsync(200)
    await flushPromises()
  }
  /** What is offered lies above the page. */
  const offered = () => [...document.querySelectorAll('.suggestions li')]
  return { router, input, answer, offered }
}

describe('the finder', () => {
  it('says that there is nothing only when the answer is there', async () => {
    const { answer, offered } = await finder([])
    expect(offered()).toEqual([])
    await answer()
    expect(offered().map((row) => row.textContent)).toEqual(['Nothing has “sv-north-dc” in its name.'])
  })
  it('goes to what is chosen', async () => {
    const { router, input, answer, offered } = await finder([{ ...device, id: 6, path: '/estate/6' }, device])
    await answer()
    expect(offered().map((row) => row.getAttribute('aria-selected'))).toEqual(['true', 'false'])
    await input.trigger('keydown', { key: 'ArrowDown' })
    await input.trigger('keydown', { key: 'Enter' })
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/estate/7')
  })
  it('goes there as soon as the answer comes when Enter was quicker', async () => {
    const { router, input, answer } = await finder([device])
    await input.trigger('keydown', { key: 'Enter' })
    expect(router.currentRoute.value.path).toBe('/')
    await answer()
    expect(router.currentRoute.value.path).toBe('/estate/7')
  })
  it('never goes to what answered older words', async () => {
    const { router, input, answer, offered } = await finder([device])
    await answer()
    expect(offered()).toHaveLength(1)
    answerWith({ 'GET /find': [{ ...device, id: 8, title: 'sv-north-x', path: '/estate/8' }] })
    await input.setValue('sv-north-x')
    await input.trigger('keydown', { key: 'Enter' })
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/')
    await answer()
    expect(router.currentRoute.value.path).toBe('/estate/8')
  })
  it('goes nowhere when the words were changed after Enter', async () => {
    const { router, input, answer } = await finder([device])
    await input.trigger('keydown', { key: 'Enter' })
    await input.setValue('sv-north-x')
    await answer()
    expect(router.currentRoute.value.path).toBe('/')
  })
})
