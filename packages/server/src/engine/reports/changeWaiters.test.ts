import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import type { Pool } from '../../db'
import { ChangeWaiters } from './changeWaiters'

/** Versions of the devices, and how often and for whom they were asked. */
const versions = new Map<number, number>()
let asked: number[][] = []
const pool = {
  query: (_sql: string, [ids, known]: [number[], number[]]) => {
    asked.push(ids)
    return Promise.resolve({ rows: ids.filter((id, i) => versions.get(id) !== known[i]).map((id) => ({ id })) })
  },
} as unknown as Pool
let waiters: ChangeWaiters
let beats = 0
let gone: () => void
const line = (patience: number) => ({
  patience,
  onGone: (listener: () => void) => {
    gone = listener
  },
  beat: () => {
    beats++
  },
})
beforeEach(() => {
  vi.useFakeTimers()
  versions.clear()
  asked = []
  beats = 0
  waiters = new ChangeWaiters(pool)
})
afterEach(() => {
  waiters.stop()
  vi.useRealTimers()
})
const wait = (id: number, patience: number) => {
  versions.set(id, 1)
  let answer: boolean | null = null
  void waiters.wait(id, 1, line(patience)).then((changed) => {
    answer = changed
  })
  return () => answer
}

it('an agent waits as long as it said, and its line is kept alive meanwhile', async () => {
  const answer = wait(1, 100_000)
  await vi.advanceTimersByTimeAsync(99_000)
  expect([answer(), beats]).toEqual([null, 1])
  await vi.advanceTimersByTimeAsync(1000)
  expect([answer(), beats]).toEqual([false, 1])
})
it('a change that is announced wakes it at once, one whose announcement was lost within half a minute', async () => {
  const [first, second] = [wait(1, 600_000), wait(2, 600_000)]
  versions.set(1, 2)
  waiters.changed()
  await vi.advanceTimersByTimeAsync(100)
  expect([first(), second()]).toEqual([true, null])
  versions.set(2, 2)
  await vi.advanceTimersByTimeAsync(30_000)
  expect(second()).toBe(true)
})
it('a look that nothing called for asks for a tenth of those that wait', async () => {
  for (let id = 1; id <= 100; id++) wait(id, 600_000)
  await vi.advanceTimersByTimeAsync(30_000)
  expect(asked.map((ids) => ids.length)).toEqual(Array.from({ length: 10 }, () => 10))
  expect(new Set(asked.flat()).size).toBe(100)
})
it('one that has gone is not asked for any more', async () => {
  const answer = wait(1, 600_000)
  gone()
  await vi.advanceTimersByTimeAsync(31_000)
  expect([answer(), asked]).toEqual([false, []])
})
