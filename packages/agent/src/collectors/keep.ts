import { isKept, logLevelCode, type LogEvent, type LogKeeping } from '#core'

/** Of each look so many entries are told. */
export const mostEvents = 400

/**
 * Keeps of a stream of log entries as many as are told, the most urgent ones, and of equally urgent ones the newest;
 * counts the rest. It never holds many more than it keeps.
 */
export class Keep {
  #entries: { event: LogEvent; n: number }[] = []
  #seen = 0

  /** @param keeping which are told at all; the others are neither told nor counted */
  constructor(private readonly keeping: LogKeeping | null = null) {}

  add(event: LogEvent): void {
    if (!isKept(this.keeping, event)) return
    this.#entries.push({ event, n: this.#seen++ })
    if (this.#entries.length >= 4 * mostEvents) this.#trim()
  }

  /** Entries that nobody looked at, because they were too long or too many. */
  skip(count: number): void {
    this.#seen += count
  }

  #trim(): void {
    this.#entries = this.#entries
      .sort((a, b) => logLevelCode(a.event.level) - logLevelCode(b.event.level) || b.n - a.n)
      .slice(0, mostEvents)
  }

  /** In the order in which they came, and how many were left out. */
  take(): { events: LogEvent[]; leftOut: number } {
    if (this.#entries.length > mostEvents) this.#trim()
    const events = this.#entries.sort((a, b) => a.n - b.n).map((entry) => entry.event)
    return { events, leftOut: this.#seen - events.length }
  }
}
