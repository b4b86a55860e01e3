import { describe, expect, it } from 'vitest'
import type { LaneSpan } from '#contract'
import { hour } from '#core'
import { pulled, stacked } from './stack'

const span = (occurrence: number, from: number, until: number | null): LaneSpan => ({
  windowId: 1,
  occurrence,
  start: from,
  name: 'w',
  from,
  until,
  repeats: false,
  revision: 1,
  movable: true,
})

describe('spans of a lane', () => {
  it('lie beside each other where they do not meet, and below each other where they do', () => {
    const { spans, rows } = stacked([
      span(1, 0, 10),
      span(2, 5, 20),
      span(3, 10, 15),
      span(4, 21, null),
      span(5, 30, 40),
    ])
    expect([rows, spans.map(({ row }) => row)]).toEqual([2, [0, 1, 0, 0, 1]])
    expect(stacked([])).toEqual({ spans: [], rows: 1 })
    // Drawn wider than they are, so that each can be hit.
    expect(stacked([span(1, 0, 1), span(2, 4, 5)], 6).spans.map(({ row }) => row)).toEqual([0, 1])
  })
})
describe('a span that is pulled', () => {
  const at = { from: 2 * hour, until: 4 * hour }
  it('moves in whole steps and keeps its length', () => {
    expect(pulled(at, 'move', 0.7 * hour, hour)).toEqual({ from: 3 * hour, until: 5 * hour })
  })
  it('is stretched at one end, and never turned over', () => {
    expect(pulled(at, 'end', hour, hour)).toEqual({ from: 2 * hour, until: 5 * hour })
    expect(pulled(at, 'end', -9 * hour, hour)).toEqual({ from: 2 * hour, until: 3 * hour })
    expect(pulled(at, 'start', 9 * hour, hour)).toEqual({ from: 3 * hour, until: 4 * hour })
  })
})
