import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, ref, type EffectScope } from 'vue'
import { useAnswer, type Answer } from './answer'

let scope: EffectScope
let open: { question: string; resolve: (answer: string) => void; reject: (error: Error) => void }[]
beforeEach(() => {
  vi.useFakeTimers()
  scope = effectScope()
  open = []
})
afterEach(() => {
  scope.stop()
  vi.useRealTimers()
})
const typed = ref('')
const start = (): Answer<string, string> =>
  scope.run(() =>
    useAnswer(typed, (question) =>
      question ? new Promise<string>((resolve, reject) => open.push({ question, resolve, reject })) : null,
    ),
  )!
async function type(text: string): Promise<void> {
  typed.value = text
  await vi.advanceTimersByTimeAsync(150)
}

describe('what somebody is typing', () => {
  it('is asked when they rest, the newest of it only', async () => {
    typed.value = 'b'
    start()
    await vi.advanceTimersByTimeAsync(0)
    for (const text of ['bb', 'bb-', 'bb-d']) {
      typed.value = text
      await vi.advanceTimersByTimeAsync(100)
    }
    await vi.advanceTimersByTimeAsync(150)
    expect(open.map(({ question }) => question)).toEqual(['b', 'bb-d'])
  })
  it('never gets an older answer after a newer one', async () => {
    typed.value = ''
    const { answer, answered, asking } = start()
    await type('db')
    await type('db-2')
    open[1]!.resolve('to db-2')
    await flushPromises()
    open[0]!.resolve('to db')
    await flushPromises()
    expect([answer.value, answered.value, asking.value]).toEqual(['to db-2', 'db-2', false])
  })
  it('nor one to what is not there any more', async () => {
    typed.value = ''
    const { answer } = start()
    await type('db')
    await type('')
    open[0]!.resolve('to db')
    await flushPromises()
    expect(answer.value).toBeNull()
  })
  it('nor a refusal of what was put right meanwhile', async () => {
    typed.value = ''
    const { answer, error } = start()
    await type('bad')
    await type('good')
    open[1]!.resolve('fine')
    open[0]!.reject(new Error('bad'))
    await flushPromises()
    expect([answer.value, error.value]).toEqual(['fine', null])
    await type('bad again')
    open[2]!.reject(new Error('worse'))
    await flushPromises()
    expect([answer.value, error.value?.message]).toEqual([null, 'worse'])
  })
  it('says while an answer is under way that what stands is of before', async () => {
    typed.value = ''
    const { answer, asking } = start()
    await type('a')
    open[0]!.resolve('to a')
    await flushPromises()
    typed.value = 'ab'
    await flushPromises()
    expect([answer.value, asking.value]).toEqual(['to a', true])
  })
})
