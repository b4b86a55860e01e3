import fc from 'fast-check'
import { medianSorted } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { slopeOf } from './sen'

describe('the slope of a series', () => {
  // SciPy 1.17.1, scipy.stats.theilslopes(y, x, 0.90), which follows Sen, 1968, equation 2.6.
  it.each([
    {
      of: 'a steady fall',
      at: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9],
      value: [100, 95, 91, 84, 80, 77, 69, 66, 60, 55],
      expected: { middle: -5, low: -5.2, high: -4.666666666666667 },
    },
    {
      of: 'a fall with two days that are out of line',
      at: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13],
      value: [500, 498, 499, 490, 470, 600, 480, 475, 470, 469, 300, 460, 455, 450],
      expected: { middle: -4, low: -4.8, high: -3.6363636363636362 },
    },
    {
      of: 'uneven times and equal values',
      at: [0, 1, 3, 4, 7, 8, 10, 15],
      value: [12, 12, 11, 11, 9, 9, 9, 6],
      expected: { middle: -0.3875, low: -0.42857142857142855, high: -0.3 },
    },
    {
      of: 'noise',
      at: Array.from({ length: 21 }, (_, i) => i),
      value: [50, 52, 49, 51, 50, 48, 53, 50, 47, 52, 51, 50, 49, 52, 50, 48, 51, 50, 53, 49, 50],
      expected: { middle: 0, low: -0.125, high: 0.1 },
    },
  ])('of $of is what a reference library finds', ({ at, value, expected }) => {
    const { middle, low, high } = slopeOf([{ at, value }])!
    expect(middle).toBeCloseTo(expected.middle, 12)
    expect(low).toBeCloseTo(expected.low, 12)
    expect(high).toBeCloseTo(expected.high, 12)
  })
  it('is the median of all slopes between two values, as Sen defines it, and lies in its interval', () =>
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 4, maxLength: 25 }), (value) => {
        const slopes = value.flatMap((a, i) => value.slice(i + 1).map((b, j) => (b - a) / (j + 1)))
        const found = slopeOf([{ at: value.map((_, i) => i), value }])!
        expect(found.middle).toBeCloseTo(medianSorted(slopes.sort((a, b) => a - b)), 9)
        expect(found.low).toBeLessThanOrEqual(found.middle)
        expect(found.high).toBeGreaterThanOrEqual(found.middle)
      }),
    ))
  it('compares values of one stretch alone', () => {
    const found = slopeOf([
      { at: [0, 1, 2, 3], value: [10, 8, 6, 4] },
      { at: [4, 5, 6, 7], value: [100, 98, 96, 94] },
    ])
    expect(found).toEqual({ middle: -2, low: -2, high: -2, agreement: -1 })
  })
  it('of three values is none', () => {
    expect(slopeOf([{ at: [0, 1, 2], value: [3, 2, 1] }])).toBeNull()
  })
})
