import fc from 'fast-check'
import { median } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { day, hour, minute } from '../units'
import { beginsTogether, companions } from './companions'

const at = (...hours: number[]) => hours.map((n) => n * hour)
const of = (own: number[], times: number[]) => companions(own, new Map([['db', times]]))

describe('a companion', () => {
  it.each<[string, number[], number[], object[]]>([
    [
      'begins a minute later each time',
      at(1, 50, 99),
      at(1, 50, 99).map((time) => time + minute),
      [{ post: 'db', together: 3, of: 3, later: minute }],
    ],
    [
      'begins earlier, three times of four',
      at(1, 50, 99, 200),
      at(1, 50, 99).map((time) => time - 2 * minute),
      [{ post: 'db', together: 3, of: 4, later: -2 * minute }],
    ],
    ['twice is chance', at(1, 50), at(1, 50), []],
    ['less than every second time is none', at(1, 50, 99, 120, 140, 160, 180), at(1, 50, 99), []],
    ['six minutes away is not together', at(1, 50, 99), at(1, 50, 99).map((time) => time + 6 * minute), []],
    ['nothing else began', at(1, 50, 99), [], []],
    ['nothing of its own is known', [], at(1, 2, 3), []],
  ])('%s', (_, own, times, expected) => {
    expect(of(own, times)).toEqual(expected)
  })
  it('is none that begins all the time, and so beside anything', () => {
    const always = Array.from({ length: (30 * day) / (10 * minute) }, (_, i) => i * 10 * minute)
    expect(companions(at(1, 50, 99), new Map([['flapping', always]]), 30 * day)).toEqual([])
  })
  it('counts each beginning for one of the post only: one fall beside three is one', () => {
    expect(of([0, minute, 2 * minute], [minute])).toEqual([])
  })
})

it('agrees with counting it the long way round, whatever began when', () => {
  const times = fc.array(fc.integer({ min: 0, max: 40 }), { maxLength: 12 })
  fc.assert(
    fc.property(times, times, (a, b) => {
      const [own, other] = [[...new Set(a)], b].map((list) => list.map((n) => n * 17 * minute + (n % 3) * minute))
      const [found] = companions(own!, new Map([['x', other!]]), 1000 * day)
      // Beginnings of the post lie at least eleven minutes apart here: none is near two of them.
      const near = own!.filter((at) => other!.some((time) => Math.abs(time - at) <= beginsTogether))
      const isOne = near.length >= 3 && 2 * near.length >= own!.length
      expect([found?.together ?? null, found?.of ?? null]).toEqual(isOne ? [near.length, own!.length] : [null, null])
      if (found && near.length % 2 === 1) {
        const offsets = near.map((at) =>
          other!.map((time) => time - at).reduce((x, y) => (Math.abs(y) < Math.abs(x) ? y : x)),
        )
        expect(found.later).toBe(median(offsets))
      }
    }),
  )
})
