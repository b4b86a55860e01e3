import { expect, it } from 'vitest'
import type { Pool } from '../../db'
import { ContextLoads } from './contextLoads'

it('while the database is away everybody who waits is told so at once, and it is not asked for each of them', async () => {
  let asked = 0
  const pool = {
    query: () => {
      asked++
      return Promise.reject(Object.assign(new Error('connect ECONNREFUSED'), { code: 'ECONNREFUSED' }))
    },
  } as unknown as Pool
  const loads = new ContextLoads(pool)
  const answers = await Promise.allSettled(Array.from({ length: 100 }, (_, i) => loads.load(i + 1)))
  expect(answers.every(({ status }) => status === 'rejected')).toBe(true)
  // The first by itself, then up to sixty-four together.
  expect(asked).toBeLessThanOrEqual(3)
})
