import type { Millis } from '../units'

export interface Span {
  from: Millis
  until: Millis
}

/** Spans that overlap or touch, as one; in order. */
export function merged(spans: readonly Span[]): Span[] {
  const out: Span[] = []
  for (const span of [...spans].sort((a, b) => a.from - b.from)) {
    const last = out.at(-1)
    if (last && span.from <= last.until) last.until = Math.max(last.until, span.until)
    else if (span.until > span.from) out.push({ ...span })
  }
  return out
}

/**
 * When nothing is planned: what is left of some spans without others, each at least so long.
 * @example freeSpans([{ from: 0, until: 10 }], [{ from: 2, until: 4 }], 3) // [{ from: 4, until: 10 }]
 */
export function freeSpans(within: readonly Span[], busy: readonly Span[], least: Millis): Span[] {
  const taken = merged(busy)
  return merged(within).flatMap((span) => {
    const free: Span[] = []
    let { from } = span
    for (const other of taken) {
      if (other.until <= from || other.from >= span.until) continue
      if (other.from > from) free.push({ from, until: other.from })
      from = other.until
    }
    if (from < span.until) free.push({ from, until: span.until })
    return free.filter(({ from, until }) => until - from >= least)
  })
}
