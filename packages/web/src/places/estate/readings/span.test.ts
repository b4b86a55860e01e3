import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { day, hour, minute } from '#core'
import { boundsOf, drawn, longest, moved, queryOf, shortest, shownOf, usualSpans, zoomed, type Shown } from './span'

const now = Date.UTC(2026, 10, 29, 6)
const free = fc
  .tuple(fc.integer({ min: 0, max: 300 * day }), fc.integer({ min: shortest, max: 60 * day }))
  .map(([ago, span]): Shown => ({ from: now - ago - span, until: now - ago }))
const any = fc.oneof(free, fc.constantFrom(...usualSpans.map(({ last }): Shown => ({ last }))))

describe('what is shown', () => {
  it('stands in the address, and comes back from it', () =>
    fc.assert(
      fc.property(any, (shown) => {
        expect(shownOf(queryOf(shown))).toEqual(shown)
      }),
    ))
  it('is the last day where the address says nothing, or nonsense', () => {
    for (const query of [{}, { last: '3 apples' }, { from: 'then' }, { from: '2026-11-02', until: '2026-11-01' }])
      expect(shownOf(query)).toEqual({ last: 24 * hour })
    expect(queryOf({ last: 24 * hour })).toEqual({ last: null, from: null, until: null })
  })
  it('is drawn in either direction, and not by a click', () => {
    expect(drawn(now, now - hour)).toEqual({ from: now - hour, until: now })
    expect(drawn(now, now + minute / 2)).toBeNull()
  })
})

describe('keys', () => {
  it('halve and double what is shown around its middle', () => {
    const shown = { from: now - 8 * hour, until: now - 4 * hour }
    expect(zoomed(shown, 0.5, now)).toEqual({ from: now - 7 * hour, until: now - 5 * hour })
    expect(zoomed(shown, 2, now)).toEqual({ from: now - 10 * hour, until: now - 2 * hour })
  })
  it('move by half of it', () => {
    const shown = { from: now - 8 * hour, until: now - 4 * hour }
    expect(moved(shown, -1, now)).toEqual({ from: now - 10 * hour, until: now - 6 * hour })
    expect(moved(shown, 1, now)).toEqual({ from: now - 6 * hour, until: now - 2 * hour })
  })
  it('never lead to what is to come, nor nearer or farther than there is anything to see', () =>
    fc.assert(
      fc.property(any, fc.array(fc.constantFrom('in', 'out', 'on', 'back')), (first, steps) => {
        let shown = first
        for (const step of steps)
          shown =
            step === 'in' || step === 'out'
              ? zoomed(shown, step === 'in' ? 0.5 : 2, now)
              : moved(shown, step === 'on' ? 1 : -1, now)
        const { from, until } = boundsOf(shown, now)
        expect(until).toBeLessThanOrEqual(now)
        expect(until - from).toBeGreaterThanOrEqual(shortest)
        expect(until - from).toBeLessThanOrEqual(longest)
      }),
    ))
})
