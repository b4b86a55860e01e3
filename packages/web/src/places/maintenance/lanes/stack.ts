import type { Lane, LaneSpan } from '#contract'
import type { Millis } from '#core'

export interface Stacked {
  span: LaneSpan
  row: number
}

/** A lane as it is drawn. */
export interface LaneRow extends Pick<Lane, 'clientId' | 'siteId' | 'name' | 'zone'> {
  key: string
  spans: Stacked[]
  rows: number
  /** Of windows of several clients. */
  isShared: boolean
}

/**
 * Spans of a lane in as few rows as they need, so that none lies over another.
 * @param least what the shortest takes up, so that it can be hit
 * @returns in order of their beginning
 */
export function stacked(spans: readonly LaneSpan[], least: Millis = 0): { spans: Stacked[]; rows: number } {
  const ends: number[] = []
  const placed = [...spans]
    .sort((a, b) => a.from - b.from || a.occurrence - b.occurrence)
    .map((span): Stacked => {
      const free = ends.findIndex((end) => end <= span.from)
      const row = free < 0 ? ends.length : free
      ends[row] = Math.max(span.until ?? Infinity, span.from + least)
      return { span, row }
    })
  return { spans: placed, rows: Math.max(1, ends.length) }
}

/** To the nearest step. */
export const snapped = (at: Millis, step: Millis): Millis => Math.round(at / step) * step

export type Grip = 'move' | 'start' | 'end'

/** Where a span lies after it was pulled by so much, in whole steps; never shorter than one. */
export function pulled(
  span: { from: Millis; until: Millis },
  grip: Grip,
  by: Millis,
  step: Millis,
): { from: Millis; until: Millis } {
  const { from, until } = span
  switch (grip) {
    case 'move': {
      const moved = snapped(from + by, step)
      return { from: moved, until: moved + (until - from) }
    }
    case 'start':
      return { from: Math.min(snapped(from + by, step), until - step), until }
    case 'end':
      return { from, until: Math.max(snapped(until + by, step), from + step) }
  }
}
