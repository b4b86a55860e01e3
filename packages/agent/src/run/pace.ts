import { isPaced, type Collector, type Millis, type PacedCollector } from '#core'

export interface Pacing {
  interval: Millis
  every?: Partial<Record<PacedCollector, Millis>>
}

/** Whose turn it is. A collector without a time of its own runs once an interval, however often reports go out. */
export class Turns {
  readonly #last = new Map<Collector, Millis>()

  /** From this report to the next: as often as the most frequent collector, and at least once an interval. */
  static tick({ interval, every = {} }: Pacing): Millis {
    return Math.min(interval, ...Object.values(every))
  }

  /** What it said before no longer holds: it is its turn. */
  forget(collector: Collector): void {
    this.#last.delete(collector)
  }

  /** Everybody's turn. */
  forgetAll(): void {
    this.#last.clear()
  }

  /** @returns whether it is the collector's turn; if so, it counts as having run. */
  take(collector: Collector, now: Millis, pacing: Pacing): boolean {
    const own = (isPaced(collector) ? pacing.every?.[collector] : undefined) ?? pacing.interval
    const last = this.#last.get(collector)
    // A report that comes a moment early must not push its collectors to the next one.
    if (last !== undefined && now >= last && now - last < own - Turns.tick(pacing) / 2) return false
    this.#last.set(collector, now)
    return true
  }
}
