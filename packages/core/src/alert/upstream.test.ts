import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { minute } from '../units'
import { fallsTogether } from './site'
import { silenceCause, type SilentDevice } from './upstream'

const at = Date.parse('2026-11-02T10:00:00Z')
/** Devices that are silent: number → what it is behind, and how many minutes after the first it was heard last. */
const silent = (found: Record<number, [upstream: number | null, minutes: number]>) =>
  new Map(
    Object.entries(found).map(([id, [upstream, minutes]]): [number, SilentDevice] => [
      Number(id),
      { id: Number(id), upstream, heardAt: at + minutes * minute },
    ]),
  )

describe('the silence of a device behind another', () => {
  it('is accounted for by the farthest of those that are silent too', () => {
    const found = silent({ 1: [null, 0], 2: [1, 0], 3: [2, 1], 4: [2, 30] })
    expect([1, 2, 3, 4].map((id) => silenceCause(id, found))).toEqual([null, 1, 1, 1])
  })
  it('has a cause of its own when what it is behind can be heard', () => {
    // 3 is behind 2, which is heard, though what that is behind is silent.
    const found = silent({ 1: [null, 0], 3: [2, 0] })
    expect(silenceCause(3, found)).toBeNull()
  })
  it('has a cause of its own when it had begun before', () => {
    const minutes = fallsTogether / minute
    expect(silenceCause(2, silent({ 1: [null, minutes], 2: [1, 0] }))).toBe(1)
    expect(silenceCause(2, silent({ 1: [null, minutes + 1], 2: [1, 0] }))).toBeNull()
  })
  it('does not hide in a circle: one of it stands for all, and for what is behind it', () => {
    const found = silent({ 7: [5, 0], 5: [9, 0], 9: [7, 0], 4: [9, 0] })
    expect([7, 5, 9, 4].map((id) => silenceCause(id, found))).toEqual([5, null, 5, 5])
    expect(silenceCause(3, silent({ 3: [3, 0] }))).toBeNull()
  })
  it('is always told of: what accounts for another is silent, lies on its way up, and stands for itself', () => {
    const device = fc.tuple(fc.option(fc.integer({ min: 0, max: 11 })), fc.integer({ min: 0, max: 40 }))
    fc.assert(
      fc.property(fc.array(device, { minLength: 1, maxLength: 10 }), (devices) => {
        const found = silent(Object.fromEntries(devices.entries()))
        for (const id of found.keys()) {
          const cause = silenceCause(id, found)
          if (cause === null) continue
          expect(silenceCause(cause, found)).toBeNull()
          const above = new Set<number>()
          for (let next = found.get(id)!.upstream; next !== null && !above.has(next);) {
            above.add(next)
            next = found.get(next)?.upstream ?? null
          }
          expect([...above]).toContain(cause)
          expect(found.has(cause)).toBe(true)
        }
      }),
    )
  })
})
