import { day, minute, type Millis } from '../units'

/** How often another post began to fail together with one. */
export interface Companion<Post> {
  post: Post
  /** So many beginnings of the one had a beginning of the other beside them… */
  together: number
  /** …of so many. */
  of: number
  /** When the other began, mostly: the median of how much later; negative: earlier. */
  later: Millis
}

/** What begins within so long of each other began together. Common practice, no source. */
export const beginsTogether: Millis = 5 * minute
/** Fewer times are chance. Common practice, no source. */
const fewestTimes = 3
/** So many times more often than two that know nothing of each other would meet. Common practice, no source. */
const beyondChance = 3

/**
 * What begins together with a post, again and again: at least three times and at least every second time, and far more
 * often than by chance. Each beginning of the other counts for the nearest one of the post only. Two posts whose
 * beginnings are independent and spread evenly meet in a share 2·within·n/span of the times, where n is how often the
 * other began (the expected number of a uniform point process in an interval).
 * @param own when the post began to fail, within the last `span`
 * @param others when others did, in any order
 * @returns the most frequent first
 * @example companions([0, 10 * minute, 20 * minute], new Map([['db', [minute, 11 * minute, 19 * minute]]]), day)
 * // [{ post: 'db', together: 3, of: 3, later: minute }]
 */
export function companions<Post>(
  own: readonly Millis[],
  others: ReadonlyMap<Post, readonly Millis[]>,
  span: Millis = 90 * day,
): Companion<Post>[] {
  const began = own.toSorted((a, b) => a - b)
  const found: Companion<Post>[] = []
  for (const [post, times] of others) {
    const nearest = new Map<Millis, Millis>()
    for (const time of times) {
      const to = began.reduce((best, at) => (Math.abs(time - at) < Math.abs(time - best) ? at : best), Infinity)
      const before = nearest.get(to)
      if (Math.abs(time - to) <= beginsTogether && (before === undefined || Math.abs(time - to) < Math.abs(before)))
        nearest.set(to, time - to)
    }
    const together = nearest.size
    const byChance = began.length * Math.min(1, (2 * beginsTogether * times.length) / span)
    if (together < fewestTimes || 2 * together < began.length || together < beyondChance * byChance) continue
    const offsets = [...nearest.values()].sort((a, b) => a - b)
    found.push({ post, together, of: began.length, later: offsets[Math.floor((offsets.length - 1) / 2)]! })
  }
  return found.sort((a, b) => b.together - a.together)
}
