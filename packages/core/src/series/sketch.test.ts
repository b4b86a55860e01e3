import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import { emptySketch, mergeSketch, sketchCount, sketchError, sketchOf, sketchQuantile } from './sketch'

const values = fc.array(
  fc.oneof(
    fc.double({ min: -1e12, max: 1e12, noNaN: true }).filter((x) => x === 0 || Math.abs(x) > 1e-6),
    fc.constant(0),
    fc.nat(100).map((n) => n / 1000),
  ),
  { minLength: 1, maxLength: 300 },
)
const of = (list: readonly number[]) => sketchOf(Float64Array.from(list))

describe('a sketch', () => {
  it('knows every percentile to one part in a hundred of the reading that has that rank', () =>
    fc.assert(
      fc.property(values, fc.double({ min: 0, max: 1, noNaN: true }), (list, p) => {
        const sorted = [...list].sort((a, b) => a - b)
        const exact = sorted[Math.floor(p * (sorted.length - 1))]!
        const found = sketchQuantile(of(list), p)
        expect(Math.abs(found - exact)).toBeLessThanOrEqual(sketchError * Math.abs(exact) * (1 + 1e-9))
      }),
      { numRuns: 500 },
    ))
  it('of two parts is that of the whole, in whichever order', () =>
    fc.assert(
      fc.property(values, values, (a, b) => {
        const [ab, ba] = [of(a), of(b)]
        mergeSketch(ab, of(b))
        mergeSketch(ba, of(a))
        expect(ab).toEqual(of([...a, ...b]))
        expect(ba).toEqual(ab)
        expect(sketchCount(ab)).toBe(a.length + b.length)
      }),
    ))
  it('of nothing has no percentile', () => expect(() => sketchQuantile(emptySketch(), 0.5)).toThrow(RangeError))
})
