import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, expect, it } from 'vitest'
import { answerWith, show } from '../../../testing/page'
import { present } from '../../format/time'
import WatchLine from './WatchLine.vue'

enableAutoUnmount(afterEach)

it('is read anew as time goes on, though nothing happens: what is open reaches to now', async () => {
  const line = { now: 0, from: 0, until: 0, clients: 9, lanes: [], moreSpans: 0 }
  const asked = answerWith({ 'GET /watchline': { ...line, crowd: { width: 1_200_000, steps: [], spans: [] } } })
  await show(WatchLine)
  const start = present.value
  const reads = async (minutes: number) => {
    present.value = start + minutes * 60_000
    await flushPromises()
    return asked.filter(({ path }) => path === '/watchline').length
  }
  expect([await reads(1), await reads(4), await reads(6), await reads(7), await reads(12)]).toEqual([1, 1, 2, 2, 3])
})
