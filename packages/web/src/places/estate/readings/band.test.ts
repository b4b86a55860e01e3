import { describe, expect, it } from 'vitest'
import { bandOf } from './band'

describe('a chart', () => {
  it('keeps every peak, however long its time: what the table calls most is drawn', () => {
    // A fortnight in spans of an hour: one minute at 100 %, 59 at 64 %.
    const points = [
      { at: 0, min: 0.64, mean: 0.646, max: 1, count: 60 },
      { at: 3_600_000, min: 0.6, mean: 0.62, max: 0.65, count: 60 },
    ]
    const drawn = bandOf({ points }, 'CPU busy', 'black', 1)
    expect(Math.max(...drawn.flatMap((set) => set.data.map((point) => point.y)))).toBe(1)
    expect(Math.min(...drawn.flatMap((set) => set.data.map((point) => point.y)))).toBe(0.6)
    expect(drawn[1]!.fill).toBe('+1')
  })
})
