import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { newestOnly } from './newest'

describe('questions that come with every key', () => {
  let answers: (() => void)[]
  let ask: () => void
  beforeEach(() => {
    vi.useFakeTimers()
    answers = []
    ask = newestOnly(() => new Promise((resolve) => answers.push(resolve)))
  })
  afterEach(() => vi.useRealTimers())

  it('asks the first at once, and of those that come meanwhile only one more', async () => {
    ask()
    ask()
    ask()
    ask()
    expect(answers).toHaveLength(1)
    answers[0]!()
    await vi.advanceTimersByTimeAsync(0)
    expect(answers).toHaveLength(2)
    answers[1]!()
    await vi.advanceTimersByTimeAsync(1000)
    expect(answers).toHaveLength(2)
    ask()
    expect(answers).toHaveLength(3)
  })
  it('does not wait for ever for an answer that does not come', async () => {
    ask()
    ask()
    await vi.advanceTimersByTimeAsync(299)
    expect(answers).toHaveLength(1)
    await vi.advanceTimersByTimeAsync(1)
    expect(answers).toHaveLength(2)
  })
})
