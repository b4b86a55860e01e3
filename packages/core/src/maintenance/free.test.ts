import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { freeSpans, merged } from './free'

const spans = fc.array(
  fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 20 })).map(([from, length]) => ({
    from,
    until: from + length,
  })),
  { maxLength: 8 },
)
const holds = (list: readonly { from: number; until: number }[], at: number) =>
  list.some(({ from, until }) => at >= from && at < until)

describe('free times', () => {
  it('are all of what is asked for that nothing else takes, minute by minute', () => {
    fc.assert(
      fc.property(spans, spans, (within, busy) => {
        const free = freeSpans(within, busy, 0)
        for (let at = 0; at < 90; at++) expect(holds(free, at)).toBe(holds(within, at) && !holds(busy, at))
      }),
    )
  })
  it('shorter than wanted are none', () => {
    expect(freeSpans([{ from: 0, until: 10 }], [{ from: 2, until: 4 }], 3)).toEqual([{ from: 4, until: 10 }])
  })
  it('spans that touch are one', () => {
    expect(
      merged([
        { from: 5, until: 7 },
        { from: 1, until: 5 },
      ]),
    ).toEqual([{ from: 1, until: 7 }])
  })
})
