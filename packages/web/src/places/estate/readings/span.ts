import { day, hour, minute, type Millis } from '#core'

/** What is shown of a series: the last so long, which goes on with the time, or a time that stays. */
export type Shown = { last: Millis } | { from: Millis; until: Millis }

/** In the order of the choice; the second is what a page begins with. */
export const usualSpans: readonly { name: string; title: string; last: Millis }[] = [
  { name: '2h', title: '2 hours', last: 2 * hour },
  { name: '24h', title: '24 hours', last: 24 * hour },
  { name: '2d', title: '2 days', last: 2 * day },
  { name: '14d', title: '2 weeks', last: 14 * day },
  { name: '30d', title: '30 days', last: 30 * day },
  { name: '1y', title: 'a year', last: 365 * day },
]
const standard = usualSpans[1]!

/** Nearer nobody can look: reports are seconds apart at the least. */
export const shortest: Millis = 2 * minute
export const longest: Millis = 2000 * day

type Query = Readonly<Record<string, unknown>>

/** What an address says; what it says wrongly counts as not said. */
export function shownOf({ last, from, until }: Query): Shown {
  const [begin, end] = [from, until].map((text) => (typeof text === 'string' ? Date.parse(text) : NaN)) as [
    Millis,
    Millis,
  ]
  if (end - begin >= shortest && end - begin <= longest) return { from: begin, until: end }
  return { last: (usualSpans.find(({ name }) => name === last) ?? standard).last }
}

/** How an address says it; null: it needs not to. */
export function queryOf(shown: Shown): { last: string | null; from: string | null; until: string | null } {
  if ('last' in shown) {
    const { name } = usualSpans.find(({ last }) => last === shown.last) ?? standard
    return { last: name === standard.name ? null : name, from: null, until: null }
  }
  const text = (at: Millis) => new Date(at).toISOString()
  return { last: null, from: text(shown.from), until: text(shown.until) }
}

export function boundsOf(shown: Shown, now: Millis): { from: Millis; until: Millis } {
  return 'last' in shown ? { from: now - shown.last, until: now } : shown
}

/** A time between two, in either order, as somebody drew it; null: too short to be meant. */
export function drawn(a: Millis, b: Millis): Shown | null {
  const [from, until] = [Math.round(Math.min(a, b)), Math.round(Math.max(a, b))]
  return until - from >= shortest ? { from, until } : null
}

/** Half or double as much around the middle, but never what is to come. */
export function zoomed(shown: Shown, factor: number, now: Millis): Shown {
  const { from, until } = boundsOf(shown, now)
  const span = Math.min(longest, Math.max(shortest, (until - from) * factor))
  const end = Math.min(now, Math.round((from + until + span) / 2))
  return { from: Math.round(end - span), until: end }
}

/** On or back by half of what is shown. @param by 1: on, −1: back */
export function moved(shown: Shown, by: 1 | -1, now: Millis): Shown {
  const { from, until } = boundsOf(shown, now)
  const step = Math.min((by * (until - from)) / 2, now - until)
  return { from: Math.round(from + step), until: Math.round(until + step) }
}
