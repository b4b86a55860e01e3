import { isDeepStrictEqual } from 'node:util'
import fc from 'fast-check'
import { expect, it } from 'vitest'
import { sameData } from './same'

it('data is the same as Node’s own deep comparison says', () => {
  fc.assert(
    fc.property(fc.jsonValue(), fc.jsonValue(), (a, b) => {
      const copy: unknown = JSON.parse(JSON.stringify(a))
      expect(sameData(a, copy)).toBe(isDeepStrictEqual(a, copy))
      expect(sameData(a, b)).toBe(isDeepStrictEqual(a, b))
    }),
  )
})
it('the order of fields says nothing, that of a list does', () => {
  expect(sameData({ on: 'all', of: [1, 2] }, { of: [1, 2], on: 'all' })).toBe(true)
  expect(sameData([1, 2], [2, 1])).toBe(false)
  expect(sameData({ 0: 1 }, [1])).toBe(false)
})
