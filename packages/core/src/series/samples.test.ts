import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import { increases, joined, samplesBetween, union, type Samples } from './samples'

const samplesOf = (list: readonly (readonly [number, number])[]): Samples => {
  const inOrder = [...new Map(list)].sort(([a], [b]) => a - b)
  return { at: Float64Array.from(inOrder, ([at]) => at), value: Float64Array.from(inOrder, ([, value]) => value) }
}
const pairs = ({ at, value }: Samples) => [...at].map((time, i): [number, number] => [time, value[i]!])
const readings = fc.array(fc.tuple(fc.nat(50), fc.nat(9)))

describe('readings', () => {
  it('of two sources are put together, each time once, and the second is right', () =>
    fc.assert(
      fc.property(readings, readings, (a, b) => {
        expect(pairs(union(samplesOf(a), samplesOf(b)))).toEqual(pairs(samplesOf([...a, ...b])))
      }),
    ))
  it('are cut by time, and make the whole again', () =>
    fc.assert(
      fc.property(readings, fc.nat(50), (list, cut) => {
        const all = samplesOf(list)
        const [before, after] = [samplesBetween(all, -Infinity, cut), samplesBetween(all, cut, Infinity)]
        expect(pairs(before).every(([at]) => at < cut)).toBe(true)
        expect(pairs(joined([before, after]))).toEqual(pairs(all))
      }),
    ))
})

describe('a counter', () => {
  const counter = samplesOf([
    [0, 100],
    [1, 130],
    [2, 130],
    [3, 7],
    [4, 9],
  ])
  it('is what it rose by; one that fell began anew', () =>
    expect(pairs(increases(counter))).toEqual([
      [1, 30],
      [2, 0],
      [3, 7],
      [4, 2],
    ]))
  it('goes on from the reading before', () => expect(pairs(increases(counter, 90))[0]).toEqual([0, 10]))
  it('read once has risen by nothing that is known', () => {
    expect(pairs(increases(samplesOf([[0, 5]])))).toEqual([])
    expect(pairs(increases(samplesOf([])))).toEqual([])
  })
})
