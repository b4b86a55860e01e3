import { minute, second, type Millis } from '../../../units'

/** What a gauge is judged by: the value of each look, or what the looks of a span come to. */
export const judgedBy = ['last value', 'mean', 'maximum', 'minimum', 'share of time'] as const
export type JudgedBy = (typeof judgedBy)[number]
type OverSpan = Exclude<JudgedBy, 'last value'>

/** A span is kept in so many parts at most, so that what is remembered of a day is no more than of an hour. */
const mostParts = 60

/**
 * What is remembered of a span: the time of the last look, since when there were looks without a gap (until the span is
 * whole), and its parts, the older first: number, length, and what the looks in it came to.
 */
export interface SpanMemo {
  at: Millis
  since?: Millis
  parts: [number: number, length: Millis, ...figures: number[]][]
}

export interface SpanSeen {
  memo: SpanMemo
  /**
   * The mean, maximum or minimum alone; of `share of time` one share for each question. Null: not even a first look is
   * behind it.
   */
  figures: number[] | null
  /** Whether there were looks all over the span. Until then a share is what of the whole span is known to be so. */
  isWhole: boolean
}

export const partOf = (span: Millis): Millis => Math.max(second, Math.ceil(span / mostParts))

/**
 * How far back a span may reach that is whole at a look: what was before changes nothing of it.
 * @param gap longest time between two looks that still counts as without a gap
 */
export const reachOf = (span: Millis, gap: Millis): Millis => span + partOf(span) + gap + minute

/**
 * A span after one more look. Each look stands for the time since the one before, so that looks that come unevenly
 * weigh what they should; after a gap the span begins anew. To within one part of it, a sixtieth.
 * @param before what was remembered, of a span of this length and judged in this way
 * @param asks of a value, each question whose share of time is wanted; only for `share of time`
 */
export function nextSpan(
  before: SpanMemo | undefined,
  { at, value }: { at: Millis; value: number },
  { by, span, gap }: { by: OverSpan; span: Millis; gap: Millis },
  asks: (value: number) => boolean[],
): SpanSeen {
  const goesOn = before !== undefined && at > before.at && at - before.at <= gap
  const length = goesOn ? at - before.at : 0
  const number = Math.floor(at / partOf(span))
  const parts = goesOn ? before.parts.filter(([each]) => each > number - mostParts) : []
  if (length > 0) {
    const seen = by === 'share of time' ? asks(value).map((is) => (is ? length : 0)) : [value]
    const last = parts.at(-1)
    if (last?.[0] === number) parts[parts.length - 1] = joinedPart(by, last, length, seen)
    else parts.push([number, length, ...(by === 'mean' ? [value * length] : seen)])
  }
  const since = goesOn ? before.since : at
  const isWhole = since === undefined || at - since >= span
  return {
    memo: { at, ...(isWhole ? {} : { since }), parts },
    figures: parts.length ? figuresOf(by, parts, isWhole ? null : span) : null,
    isWhole,
  }
}

type Part = SpanMemo['parts'][number]

function joinedPart(by: OverSpan, [number, before, ...had]: Part, length: Millis, seen: readonly number[]): Part {
  const join = (figure: number, i: number): number => {
    const value = seen[i]!
    if (by === 'mean') return figure + value * length
    if (by === 'maximum') return Math.max(figure, value)
    return by === 'minimum' ? Math.min(figure, value) : figure + value
  }
  return [number, before + length, ...had.map(join)]
}

/** @param least of which a share is at least taken; null: of what there is */
function figuresOf(by: OverSpan, parts: readonly Part[], least: Millis | null): number[] {
  if (by === 'maximum') return [Math.max(...parts.map(([, , figure]) => figure!))]
  if (by === 'minimum') return [Math.min(...parts.map(([, , figure]) => figure!))]
  const length = parts.reduce((sum, part) => sum + part[1], 0)
  const whole = by === 'share of time' ? Math.max(length, least ?? 0) : length
  const [, , ...first] = parts[0]!
  return first.map((_, i) => parts.reduce((sum, part) => sum + part[i + 2]!, 0) / whole)
}

/** The lowest value that was seen in each part of a span, the older first. */
export type Lows = [number: number, low: number][]

/**
 * The lowest values of a span after one more look, to within one part of it. Each was so when it was seen, whatever
 * came between: a gap makes none of them untrue. Where a look stands for the time before it, see `nextSpan`.
 */
export function nextLows(before: Lows = [], { at, value }: { at: Millis; value: number }, span: Millis): Lows {
  const number = Math.floor(at / partOf(span))
  const kept = before.filter(([each]) => each > number - mostParts && each < number)
  const same = before.find(([each]) => each === number)
  return [...kept, [number, same ? Math.min(same[1], value) : value]]
}
