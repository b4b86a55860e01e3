import type { SeriesView } from '#contract'
import { day, type DeviceId, type Millis } from '#core'

/** What is laid over a series: itself earlier, itself on another device, or another series of its device. */
export type Beside =
  { of: 'earlier'; back: Millis } | { of: 'device'; id: DeviceId } | { of: 'series'; metric: string; instance: string }

export const earlier: readonly { back: Millis; title: string }[] = [
  { back: day, title: 'a day earlier' },
  { back: 7 * day, title: 'a week earlier' },
  { back: 28 * day, title: 'four weeks earlier' },
]
/** More lines are a tangle. */
export const mostBeside = 5

/** How an address says it: `-7d`, `12`, `net.sent|eth0`, with spaces between. */
export function besideText(beside: Beside): string {
  if (beside.of === 'earlier') return `-${beside.back / day}d`
  return beside.of === 'device' ? String(beside.id) : `${beside.metric}|${encodeURIComponent(beside.instance)}`
}

/** What an address says; what it says wrongly counts as not said. */
export function besideOf(text: string): Beside[] {
  const found = text.split(' ').flatMap((part): Beside[] => {
    const back = /^-(\d{1,3})d$/.exec(part)
    if (back) return Number(back[1]) > 0 ? [{ of: 'earlier', back: Number(back[1]) * day }] : []
    if (/^\d{1,9}$/.test(part)) return [{ of: 'device', id: Number(part) }]
    const at = part.indexOf('|')
    if (at < 1) return []
    try {
      return [{ of: 'series', metric: part.slice(0, at), instance: decodeURIComponent(part.slice(at + 1)) }]
    } catch {
      return []
    }
  })
  return found.slice(0, mostBeside)
}

/** A series of another time, as if it were of this one. */
export function movedOn(series: SeriesView, by: Millis): SeriesView {
  return { ...series, points: series.points.map((point) => ({ ...point, at: point.at + by })) }
}
