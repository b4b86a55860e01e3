import fc from 'fast-check'
import { max, mean, min, quantile as referenceQuantile } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { readingFault } from './metrics'
import { bucketise, quantile, summarise } from './summary'

const values = fc.array(
  fc.integer({ min: -1e9, max: 1e9 }).map((n) => n / 1000),
  { minLength: 1, maxLength: 200 },
)

describe('summary', () => {
  it('agrees with the reference library (simple-statistics)', () => {
    fc.assert(
      fc.property(values, fc.double({ min: 0, max: 1, noNaN: true }), (list, p) => {
        const sum = summarise(list)!
        expect(sum.min).toBe(min(list))
        expect(sum.max).toBe(max(list))
        expect(sum.mean).toBeCloseTo(mean(list), 4)
        expect(
          quantile(
            [...list].sort((a, b) => a - b),
            p,
          ),
        ).toBeCloseTo(referenceQuantile(list, p), 4)
      }),
    )
  })
  it('has the example of its description', () => expect(quantile([1, 2, 3, 4], 0.5)).toBe(2.5))
  it('of nothing is nothing', () => expect(summarise([])).toBeNull())
})

describe('buckets', () => {
  it('keep the spikes and leave gaps as gaps', () => {
    const samples = [
      { at: 0, value: 1 },
      { at: 5, value: 9 },
      { at: 31, value: 4 },
    ]
    expect(bucketise(samples, 10)).toEqual([
      { at: 0, min: 1, mean: 5, max: 9 },
      { at: 30, min: 4, mean: 4, max: 4 },
    ])
  })
  it('lose neither the least nor the greatest', () => {
    fc.assert(
      fc.property(values, fc.integer({ min: 1, max: 50 }), (list, width) => {
        const buckets = bucketise(
          list.map((value, at) => ({ at, value })),
          width,
        )
        expect(Math.min(...buckets.map((bucket) => bucket.min))).toBe(min(list))
        expect(Math.max(...buckets.map((bucket) => bucket.max))).toBe(max(list))
      }),
    )
  })
})

describe('a reading', () => {
  it('is refused with a reason when it cannot be one', () => {
    expect(readingFault('cpu.buzy', '', 0.5)).toContain('no metric')
    expect(readingFault('cpu.busy', '', NaN)).toContain('finite')
    expect(readingFault('cpu.busy', '', 1.2)).toContain('outside')
    expect(readingFault('disk.free', '', 1)).toContain('needs an instance')
    expect(readingFault('disk.free', '/', 1)).toBeNull()
  })
})
