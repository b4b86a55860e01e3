import type { CollectorFailure } from '#contract/report'
import {
  durationText,
  type Collector,
  type Facts,
  type LogEvent,
  type Millis,
  type Reading,
  type TopProcesses,
} from '#core'
import { steady } from '../clock'
import { NotHereError, type Collect, type Collected } from '../collectors'
import { boundEvents, boundFacts } from '../collectors/bounds'
import type { Places } from './spool'

export interface Observed {
  readings: Reading[]
  facts: Facts
  events: LogEvent[]
  leftOut: number
  top: TopProcesses | null
  failed: CollectorFailure[]
  places: Places
  /** Those that are still at it: what they find comes with a later report. */ busy: Collector[]
  /** Those that had something to say, or failed. */ answered: Set<Collector>
}

/**
 * A collector that takes longer has failed for this time; what it is still at goes on, and is not begun anew meanwhile.
 */
const deadline: Millis = 45_000

type Outcome = { part: Collected } | { error: Error }
interface Look {
  began: Millis
  outcome: Outcome | null
  done: Promise<void>
}

/**
 * Runs collectors beside each other. One that fails is named with its reason, and costs only its own part; one that
 * takes long keeps no report waiting: what it finds goes into the next one.
 */
export class Observer {
  readonly #looks = new Map<Collect, Look>()
  /** Of those whose last look failed: that stands until one succeeds, whoever's turn it is. */
  readonly #failures = new Map<Collector, CollectorFailure>()

  #begin(collector: Collect, now: Millis): Look {
    const look: Look = { began: steady(), outcome: null, done: Promise.resolve() }
    look.done = Promise.resolve()
      .then(() => collector.collect(now))
      .then(
        (part) => {
          look.outcome = { part }
        },
        (error: unknown) => {
          look.outcome = { error: error instanceof Error ? error : new Error(String(error)) }
        },
      )
    this.#looks.set(collector, look)
    return look
  }

  /** @param patience how long the report waits for those that take long */
  async observe(due: readonly Collect[], now: Millis, patience: Millis): Promise<Observed> {
    for (const collector of due) if (!this.#looks.has(collector)) this.#begin(collector, now)
    let late: NodeJS.Timeout | undefined
    await Promise.race([
      Promise.all([...this.#looks.values()].map((look) => look.done)),
      new Promise<void>((resolve) => {
        late = setTimeout(resolve, patience)
      }),
    ])
    clearTimeout(late)
    const seen: Observed = {
      readings: [],
      facts: {},
      events: [],
      leftOut: 0,
      top: null,
      failed: [],
      places: {},
      busy: [],
      answered: new Set(),
    }
    for (const [collector, look] of this.#looks) this.#take(seen, collector, look)
    seen.failed.push(...this.#failures.values())
    return { ...seen, facts: boundFacts(seen.facts), events: boundEvents(seen.events) }
  }

  #take(seen: Observed, collector: Collect, { began, outcome }: Look): void {
    const { name } = collector
    if (outcome === null) {
      seen.busy.push(name)
      if (steady() - began >= deadline)
        this.#failures.set(name, { collector: name, reason: `it did not end within ${durationText(deadline)}` })
      return
    }
    this.#looks.delete(collector)
    seen.answered.add(name)
    if ('error' in outcome) {
      this.#failures.set(name, {
        collector: name,
        reason: outcome.error.message.slice(0, 500),
        ...(outcome.error instanceof NotHereError ? { notHere: true as const } : {}),
      })
      return
    }
    this.#failures.delete(name)
    const { readings = [], facts = {}, events = [], leftOut = 0, top, place } = outcome.part
    seen.readings.push(...readings)
    seen.events.push(...events)
    seen.leftOut += leftOut
    Object.assign(seen.facts, facts)
    if (top) seen.top = top
    if (place !== undefined) seen.places[name] = place
  }
}

/** One look with collectors that nobody asks again. */
export function observe(collectors: readonly Collect[], now: Millis, patience: Millis = deadline): Promise<Observed> {
  return new Observer().observe(collectors, now, patience)
}

/** Gathers while the others go on; until it is done, and while it is at it anew, what it gave last stands. */
export function inBackground(collector: Collect): Collect {
  let isBusy = false
  let last: () => Collected = () => ({})
  return {
    name: collector.name,
    collect(now) {
      if (!isBusy) {
        isBusy = true
        void Promise.resolve()
          .then(() => collector.collect(now))
          .then(
            (part) => {
              last = () => part
            },
            (error: unknown) => {
              last = () => {
                throw error
              }
            },
          )
          .finally(() => {
            isBusy = false
          })
      }
      return last()
    },
  }
}
