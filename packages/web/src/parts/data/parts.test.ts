import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { effectScope, ref, type EffectScope } from 'vue'
import { Feed } from '../../testing/page'
import { closeLive } from './live'
import { useNewestFirst, useParts } from './parts'

let scope: EffectScope
beforeEach(() => {
  closeLive()
  vi.stubGlobal('EventSource', Feed)
  vi.useFakeTimers()
  scope = effectScope()
})
afterEach(() => {
  scope.stop()
  vi.useRealTimers()
})

/** A list of so many on the server, the newest first, as `limit` and `before` ask for it. */
function server(count: number) {
  const asked: string[] = []
  let ids = Array.from({ length: count }, (_, i) => count - i)
  return {
    asked,
    add: (id: number) => {
      ids = [id, ...ids]
    },
    ask: (query: string) => {
      asked.push(query)
      const words = new URLSearchParams(query)
      const before = Number(words.get('before') ?? Infinity)
      return Promise.resolve(
        ids
          .filter((id) => id < before)
          .slice(0, Number(words.get('limit')))
          .map((id) => ({ id })),
      )
    },
  }
}

it('a list by number comes a hundred at a time, to its last one, and says whether there are older ones', async () => {
  const { asked, ask } = server(230)
  const list = scope.run(() => useNewestFirst(ask))!
  await flushPromises()
  expect([list.data.value!.length, list.hasMore.value]).toEqual([100, true])
  list.more()
  await flushPromises()
  list.more()
  await flushPromises()
  expect([list.data.value!.map(({ id }) => id).at(-1), list.data.value!.length, list.hasMore.value]).toEqual([
    1,
    230,
    false,
  ])
  expect(asked.at(-1)).toBe('limit=100&before=31')
})
it('a list that ends with its part says so with the next look, and not with an empty part', async () => {
  const { ask } = server(100)
  const list = scope.run(() => useNewestFirst(ask))!
  await flushPromises()
  list.more()
  await flushPromises()
  expect([list.data.value!.length, list.hasMore.value]).toEqual([100, false])
})
it('a change reads as many parts again as somebody has gone down, so that nothing goes from under the eyes', async () => {
  const { ask, add } = server(150)
  const list = scope.run(() => useNewestFirst(ask, { topics: ['estate'] }))!
  await flushPromises()
  list.more()
  await flushPromises()
  add(151)
  Feed.last.announce({ topic: 'estate', clientIds: null, deviceIds: [] })
  await vi.advanceTimersByTimeAsync(100)
  expect([list.data.value![0]!.id, list.data.value!.length]).toEqual([151, 151])
})
it('another question begins with the first part of its answer', async () => {
  const client = ref(1)
  const asked: [number, string | null][] = []
  const list = scope.run(() =>
    useParts(
      (after) => {
        asked.push([client.value, after])
        return Promise.resolve({ rows: [client.value], next: after === null ? 'second' : null })
      },
      (before, after) => ({ rows: [...before.rows, ...after.rows], next: after.next }),
      { sources: [client] },
    ),
  )!
  await flushPromises()
  list.more()
  await flushPromises()
  client.value = 2
  await flushPromises()
  expect(list.data.value).toEqual({ rows: [2], next: 'second' })
  expect(asked.at(-1)).toEqual([2, null])
})
