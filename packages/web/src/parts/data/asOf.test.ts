import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { hour } from '#core'
import { asOf, asOfText, lookBackFrom, overBy, readAsOf } from './asOf'
import { keepLookingBack, lookBackTo } from '../shell/lookBack'

const now = Date.parse('2026-11-28T12:00:30Z')

describe('the time in the address', () => {
  it('is written to the second, and read back', () => {
    expect(asOfText(now - hour)).toBe('2026-11-28T11:00:30Z')
    expect(readAsOf('2026-11-28T11:00:30Z', now)).toBe(now - hour)
  })
  it.each([undefined, null, '', 'yesterday', '2999-01-01T00:00:00Z', '1969-12-31T23:00:00Z', ['2026-11-28T11:00:30Z']])(
    '%j is none',
    (text) => {
      expect(readAsOf(text, now)).toBeNull()
    },
  )
  it('is over by a minute at least, in whole seconds', () => {
    expect(overBy(now + hour, now)).toBe(now - 60_000)
    expect(overBy(now - hour + 999, now)).toBe(now - hour)
    expect(lookBackFrom(now)).toBe(now - hour)
  })
})

describe('who looks back', () => {
  const page = { template: '<p />' }
  const routes = [
    { path: '/rounds', component: page, meta: { past: true } },
    { path: '/estate', component: page, meta: { past: true } },
    { path: '/estate/1/why', component: page },
    { path: '/policy', component: page },
  ]
  const then = '2026-11-28T10:00:00Z'
  async function opened(path: string) {
    const router = createRouter({ history: createMemoryHistory(), routes })
    keepLookingBack(router)
    await router.push(path)
    return router
  }
  const at = (router: Awaited<ReturnType<typeof opened>>) => [
    router.currentRoute.value.fullPath,
    asOf.value === null ? null : asOfText(asOf.value),
  ]

  it('takes the time along from place to place, whatever else changes in the address', async () => {
    const router = await opened(`/rounds?asOf=${then}`)
    await router.push('/estate')
    expect(at(router)).toEqual([`/estate?asOf=${then}`, then])
    await router.replace({ query: { words: 'db' }, hash: '#roster' })
    expect(at(router)).toEqual([`/estate?words=db&asOf=${then}#roster`, then])
  })
  it('asks why as of then, and sees as it is now what has no past', async () => {
    const router = await opened(`/estate?asOf=${then}`)
    await router.push('/estate/1/why')
    expect(at(router)).toEqual([`/estate/1/why?at=${Date.parse(then)}`, null])
    const other = await opened(`/estate?asOf=${then}`)
    await other.push('/policy')
    expect(at(other)).toEqual(['/policy', null])
  })
  it('comes back to now, and by Back to where they were', async () => {
    const router = await opened('/rounds')
    await router.push('/estate')
    lookBackTo(router, Date.parse(then))
    await flushPromises()
    expect(at(router)).toEqual([`/estate?asOf=${then}`, then])
    router.back()
    await flushPromises()
    expect(at(router)).toEqual(['/estate', null])
    router.forward()
    await flushPromises()
    lookBackTo(router, null)
    await flushPromises()
    expect(at(router)).toEqual(['/estate', null])
  })
})
