import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import type { PolicyStep } from '#core'
import { usePolicyChange } from './change'

const step = (reason: string): PolicyStep[] => [
  {
    of: 'assignment',
    id: 1,
    basedOn: 1,
    to: { templateId: 1, target: { on: 'everyone' }, rank: 1, values: {}, dormant: false, reason, reviewAt: null },
  },
]
const impactOf = (devices: number) => ({
  devices,
  clients: 1,
  keepOwn: 0,
  added: 0,
  removed: 0,
  altered: 0,
  watches: [],
  examples: [],
  cost: { readings: [0, 0], events: 0, logs: [] },
})

/** A server whose counts are taken one after the other, and answered when the test says so. */
function server() {
  const counts: ((devices: number) => void)[] = []
  const saved: string[] = []
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string, init: RequestInit) => {
      const answer = (body: unknown) =>
        new Response(JSON.stringify(body), { status: 200, headers: { 'content-type': 'application/json' } })
      if (url.endsWith('/policy/impact'))
        return new Promise<Response>((resolve) => {
          counts.push((devices) => resolve(answer(impactOf(devices))))
        })
      saved.push((JSON.parse(init.body as string) as { steps: [{ to: { reason: string } }] }).steps[0].to.reason)
      return Promise.resolve(answer({ ids: [1] }))
    }),
  )
  return { counts, saved }
}
const answered = async (count: (devices: number) => void, devices: number) => {
  count(devices)
  await flushPromises()
}
const rested = async () => {
  await vi.advanceTimersByTimeAsync(250)
  await flushPromises()
}
beforeEach(() => {
  vi.useFakeTimers()
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

it('a change that is saved before the newest count has come is counted first, and saved when it does what was shown', async () => {
  const { counts, saved } = server()
  const steps = ref<PolicyStep[] | null>(step('one'))
  const change = usePolicyChange(steps)
  await rested()
  await answered(counts[0]!, 5)
  steps.value = step('two')
  const saving = change.save()
  expect(change.impact.value?.devices).toBe(5)
  await answered(counts[1]!, 5)
  expect(await saving).toEqual({ ids: [1] })
  expect(saved).toEqual(['two'])
})

it('one that would do something else than was shown is not saved, and says so until it is saved again', async () => {
  const { counts, saved } = server()
  const steps = ref<PolicyStep[] | null>(step('one'))
  const change = usePolicyChange(steps)
  await rested()
  await answered(counts[0]!, 5)
  steps.value = step('two')
  const saving = change.save()
  await answered(counts[1]!, 700)
  expect(await saving).toEqual({ code: 'effect-changed' })
  await rested()
  expect([change.impact.value?.devices, change.fault.value, saved]).toEqual([
    700,
    expect.stringContaining('has changed a moment ago'),
    [],
  ])
  expect(await change.save()).toEqual({ ids: [1] })
  expect(saved).toEqual(['two'])
})

it('a count that was overtaken is not shown', async () => {
  const { counts } = server()
  const steps = ref<PolicyStep[] | null>(step('one'))
  const change = usePolicyChange(steps)
  await rested()
  steps.value = step('two')
  await rested()
  expect(change.counting.value).toBe(true)
  await answered(counts[1]!, 2)
  await answered(counts[0]!, 1)
  expect([change.impact.value?.devices, change.counting.value]).toEqual([2, false])
})
