import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import type { LiveEvent } from '#contract'
import { answerWith, Feed } from '../../testing/page'
import { api } from './api'
import { useResource, type Resource } from './resource'

afterEach(() => vi.useRealTimers())

function inPage<T>(make: () => Resource<T>): { resource: Resource<T>; leave: () => void } {
  let resource!: Resource<T>
  const page = mount(
    defineComponent({
      setup() {
        resource = make()
        return () => h('i')
      },
    }),
  )
  return { resource, leave: () => page.unmount() }
}
const announce = (event: LiveEvent) => Feed.last.announce(event)

describe('a resource', () => {
  it('is read at once, and its refusal is kept in the words of the server', async () => {
    answerWith({ 'GET /one': { a: 1 }, 'GET /two': 403 })
    const one = inPage(() => useResource(() => api.get('/one')))
    const two = inPage(() => useResource(() => api.get('/two')))
    await flushPromises()
    expect(one.resource.data.value).toEqual({ a: 1 })
    expect(two.resource.error.value?.message).toBe('refused with 403')
  })
  it('drops an answer that was overtaken by a newer one', async () => {
    const waiting: ((value: string) => void)[] = []
    const { resource } = inPage(() => useResource(() => new Promise<string>((resolve) => waiting.push(resolve))))
    void resource.refresh()
    waiting[1]!('newer')
    await flushPromises()
    waiting[0]!('older')
    await flushPromises()
    expect(resource.data.value).toBe('newer')
  })
  it('stays in sight while the server is away, and says so where there was nothing yet', async () => {
    answerWith({ 'GET /one': { a: 1 } })
    const { resource } = inPage(() => useResource(() => api.get('/one')))
    await flushPromises()
    answerWith({})
    await resource.refresh()
    expect([resource.data.value, resource.error.value]).toEqual([{ a: 1 }, null])
    const fresh = inPage(() => useResource(() => api.get('/one')))
    // It is asked for once more before that is said.
    await vi.waitFor(
      () => {
        expect(fresh.resource.error.value?.problem.code).toBe('unreachable')
      },
      { timeout: 20_000 },
    )
  })
  it('is read again from nothing when what it depends on changes', async () => {
    const asked = answerWith({ 'GET /device/1': 'first', 'GET /device/2': 'second' })
    const id = ref(1)
    const { resource } = inPage(() => useResource(() => api.get(`/device/${id.value}`), { sources: [id] }))
    await flushPromises()
    id.value = 2
    await flushPromises()
    expect(resource.data.value).toBe('second')
    expect(asked.map((request) => request.path)).toEqual(['/device/1', '/device/2'])
  })
  it('follows the live feed: its topics, its device, several changes in one look, and none after it is left', async () => {
    vi.useFakeTimers()
    const asked = answerWith({ 'GET /one': 1 })
    const { leave } = inPage(() => useResource(() => api.get('/one'), { topics: ['alerts'], deviceId: () => 7 }))
    await vi.advanceTimersByTimeAsync(1)
    announce({ topic: 'windows', clientIds: null, deviceIds: [7] })
    announce({ topic: 'alerts', clientIds: null, deviceIds: [8] })
    await vi.advanceTimersByTimeAsync(5000)
    expect(asked).toHaveLength(1)
    announce({ topic: 'alerts', clientIds: null, deviceIds: [7] })
    announce({ topic: 'alerts', clientIds: null, deviceIds: [] })
    await vi.advanceTimersByTimeAsync(5000)
    expect(asked).toHaveLength(2)
    announce({ topic: 'alerts', clientIds: null, deviceIds: [7] })
    leave()
    await vi.advanceTimersByTimeAsync(5000)
    expect(asked).toHaveLength(2)
  })
  it('what one device reports is shown at once, and what any of many does once in a while', async () => {
    vi.useFakeTimers()
    const asked = answerWith({ 'GET /one': 1, 'GET /all': 2 })
    const of = (path: string) => asked.filter((request) => request.path === path).length
    inPage(() => useResource(() => api.get('/one'), { topics: ['reports'], deviceId: () => 7 }))
    inPage(() => useResource(() => api.get('/all'), { topics: ['reports'] }))
    await vi.advanceTimersByTimeAsync(1)
    announce({ topic: 'reports', clientIds: null, deviceIds: [6, 7] })
    await vi.advanceTimersByTimeAsync(200)
    expect([of('/one'), of('/all')]).toEqual([2, 1])
    await vi.advanceTimersByTimeAsync(2000)
    expect([of('/one'), of('/all')]).toEqual([2, 2])
    // So many that they are not named.
    announce({ topic: 'reports', clientIds: null, deviceIds: [] })
    await vi.advanceTimersByTimeAsync(200)
    expect([of('/one'), of('/all')]).toEqual([2, 2])
  })
  it('what took long is looked at less often, however much happens', async () => {
    vi.useFakeTimers()
    let asked = 0
    const { leave } = inPage(() =>
      useResource(
        () => {
          asked++
          return new Promise((resolve) => setTimeout(resolve, 2000))
        },
        { topics: ['estate'] },
      ),
    )
    await vi.advanceTimersByTimeAsync(2500)
    for (let i = 0; i < 120; i++) {
      announce({ topic: 'estate', clientIds: null, deviceIds: [i] })
      await vi.advanceTimersByTimeAsync(100)
    }
    leave()
    // Twelve seconds of changes: every 60 ms would be 200 looks, each four seconds after the last is three.
    expect(asked).toBe(4)
  })
})
