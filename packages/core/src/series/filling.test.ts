import fc from 'fast-check'
import { medianSorted } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { day } from '../units'
import { fillingOf } from './filling'

const days = (count: number) => Array.from({ length: count }, (_, i) => i * day)

describe('how fast a disk fills', () => {
  it('is the line where it is one, and when nothing is left', () => {
    const filling = fillingOf(
      days(10),
      days(10).map((at) => 100 - (5 * at) / day),
    )!
    expect(filling.perDay).toBeCloseTo(-5, 9)
    expect(filling.agreement).toBe(-1)
    expect(filling.left! / day).toBeCloseTo(55 / 5, 9)
  })
  it('is the median of all slopes between two values, as Sen defines it', () =>
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 4, maxLength: 25 }), (value) => {
        const at = days(value.length)
        const slopes = value.flatMap((a, i) => value.slice(i + 1).map((b, j) => (b - a) / (j + 1)))
        expect(fillingOf(at, value)!.perDay).toBeCloseTo(medianSorted(slopes.sort((a, b) => a - b)), 6)
      }),
    ))
  it('does not go by a day on which somebody cleared up, or something was copied for an hour', () => {
    const value = days(14).map((at) => 100 - (2 * at) / day)
    value[5] = 300
    value[9] = 1
    expect(fillingOf(days(14), value)!.perDay).toBeCloseTo(-2, 0)
  })
  it('is not told of a few values, and of what stays or grows has no end', () => {
    expect(fillingOf(days(3), [3, 2, 1])).toBeNull()
    for (const value of [
      [4, 4, 4, 4, 4],
      [1, 2, 3, 4, 5],
    ])
      expect(fillingOf(days(5), value)!.left).toBeNull()
  })
})
