import { describe, expect, it } from 'vitest'
import type { BoardDevice } from '#contract'
import { bandOf } from './band'
import { doubtOf, updatesDoubt } from './known'

const at = new Date(2026, 10, 25, 15, 43).getTime()
const device = (more: object = {}) => ({ heardAt: Date.now(), readAt: null, silent: false, failing: [], ...more })

describe('a state on a page', () => {
  it('is not known of a device that was never heard, nor of what was never read', () => {
    expect(doubtOf(device({ heardAt: null }), 'services', false)?.text).toBe('not known')
    expect(doubtOf(device(), 'services', false)).toMatchObject({ text: 'not read', isUnknown: true })
    expect(doubtOf(device({ failing: ['services'] }), 'services', false)?.text).toBe('cannot be read')
  })
  it('is that of then where the device is silent, or its collector fails', () => {
    const today = new Date().setHours(0, 1, 0, 0)
    expect(doubtOf(device({ silent: true, heardAt: today }), 'services', true)).toMatchObject({ text: 'as of 00:01', isUnknown: false })
    // What came late was made before it was heard.
    expect(doubtOf(device({ silent: true, heardAt: at, readAt: today }), 'services', true)?.text).toBe('as of 00:01')
    expect(doubtOf(device({ failing: ['disks'] }), 'disks', true)?.text).toBe('cannot be read now')
  })
  it('is as the page says where it was read just now', () => {
    expect(doubtOf(device({ failing: ['disks'] }), 'services', true)).toBeNull()
  })
})

describe('updates', () => {
  it('are not known where there are no package lists, however many were found', () => {
    const found = { security: 0, other: 0, oldestSecurityAt: null }
    const of = (updates: BoardDevice['updates']) => updatesDoubt({ ...device(), updates })?.text ?? null
    expect([of({ ...found, isKnown: false }), of({ ...found, isKnown: true }), of(null)]).toEqual(['not known', null, 'not read'])
  })
})

describe('a chart', () => {
  it('keeps every peak, however long its time: what the table calls most is drawn', () => {
    // A fortnight in spans of an hour: one minute at 100 %, 59 at 64 %.
    const buckets = [{ at: 0, min: 0.64, mean: 0.646, max: 1 }, { at: 3_600_000, min: 0.6, mean: 0.62, max: 0.65 }]
    const drawn = bandOf({ buckets }, 'CPU busy', 'black', 1)
    expect(Math.max(...drawn.flatMap((set) => set.data.map((point) => point.y)))).toBe(1)
    expect(Math.min(...drawn.flatMap((set) => set.data.map((point) => point.y)))).toBe(0.6)
    expect(drawn[1]!.fill).toBe('+1')
  })
})
