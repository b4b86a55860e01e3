import { minute, probeName, second, type Millis, type ProbeAsk, type ProbeTold, type Reading } from '#core'
import { steady } from '../clock'
import { look } from './checks'
import { failed, within, type Looked } from './looked'
import { addressOf } from './resolve'
import { Slots } from './slots'

/** So many looks at a time: an agent has little memory, and few connections at once look like no attack. */
const atOnce = 8
/** A look with all that belongs to it, such as where a page leads; pings take their own time between them. */
const longestLook = ({ check, pace }: ProbeAsk): Millis =>
  pace.timeout + (check.check === 'ping' ? check.count * second + 2 * second : 0)
/** What the mean is of. */
const meanOver: Millis = 5 * minute

/** How a look is made: the address first, then the look itself. */
export interface Looking {
  addressOf(host: string, bounds: ProbeAsk['bounds']): Promise<string>
  look(ask: ProbeAsk, address: string, stop: AbortSignal): Promise<Looked>
}

/** One ask, looked at again and again. */
class Round {
  #timer: NodeJS.Timeout | undefined
  readonly #stop = new AbortController()
  #last: Looked | null = null
  #inARow = 0
  #since: Millis = 0
  #lastAt: Millis = 0
  /** Answers of the last minutes, for the mean. */
  #times: { at: Millis; time: Millis }[] = []
  /** Looks since they were asked for as readings. */
  #seen = nothingSeen()
  /** Whether it was told since it last came to something. */
  isTold = true

  constructor(
    readonly ask: ProbeAsk,
    private readonly slots: Slots,
    private readonly looking: Looking,
    private readonly onTurn: (isUrgent: boolean) => void,
    first: Millis,
  ) {
    this.#after(first)
  }

  stop(): void {
    clearTimeout(this.#timer)
    this.#stop.abort()
  }

  #after(time: Millis): void {
    this.#timer = setTimeout(() => {
      void this.#look()
    }, time)
  }

  async #look(): Promise<void> {
    let began = steady()
    let looked: Looked
    try {
      // Waiting for a name is no time of theirs, and keeps nobody else from looking.
      const address = await this.looking.addressOf(this.ask.host, this.ask.bounds)
      looked = await this.slots.use(() => {
        began = steady()
        return within(longestLook(this.ask), (stop) =>
          this.looking.look(this.ask, address, AbortSignal.any([stop, this.#stop.signal])),
        )
      })
    } catch (error) {
      looked = failed(error)
    }
    if (this.#stop.signal.aborted) return
    this.#note(looked, began)
    const { confirm, clears, every, recheck } = this.ask.pace
    const isSure = looked.outcome === 'bad' ? this.#inARow >= confirm : this.#inARow >= clears
    this.#after(Math.max(0, (isSure || looked.outcome === 'trouble' ? every : recheck) - (steady() - began)))
  }

  #note(looked: Looked, at: Millis): void {
    const before = this.#last
    const isSame = before?.outcome === looked.outcome
    if (!isSame) {
      this.#inARow = 0
      this.#since = at
    }
    this.#inARow++
    this.#last = looked
    this.#lastAt = at
    this.isTold = false
    if (looked.time !== undefined && looked.outcome === 'good') this.#times.push({ at, time: looked.time })
    this.#times = this.#times.filter((each) => at - each.at <= meanOver)
    this.#seen = together(this.#seen, seenOf(looked))
    const { confirm, clears } = this.ask.pace
    this.onTurn(before === null || this.#inARow === (looked.outcome === 'bad' ? confirm : clears))
  }

  /** What failed is to be confirmed anew: while the server could not be reached either, it may have been us. */
  doubt(): void {
    if (this.#last?.outcome !== 'bad') return
    this.#inARow = 1
    this.#since = this.#lastAt
    this.isTold = false
  }

  told(): ProbeTold | null {
    if (!this.#last) return null
    const { id } = this.ask
    const mean = this.#times.reduce((sum, { time }) => sum + time, 0) / this.#times.length
    return {
      id,
      ...this.#last,
      inARow: this.#inARow,
      lasts: Math.round(this.#lastAt - this.#since),
      ...(this.#times.length ? { mean } : {}),
    }
  }

  /** Of the looks since this was asked the last time; where there was none, of the last one. */
  takeSeen(): Seen {
    const seen = this.#seen.looks || !this.#last ? this.#seen : seenOf(this.#last)
    this.#seen = nothingSeen()
    return seen
  }
}

interface Seen {
  looks: number
  failed: number
  /** Of those that were answered, together. */
  time: Millis
  answered: number
}
const nothingSeen = (): Seen => ({ looks: 0, failed: 0, time: 0, answered: 0 })
function seenOf({ outcome, time }: Looked): Seen {
  if (outcome === 'trouble') return nothingSeen()
  const isAnswered = outcome === 'good' && time !== undefined
  return { looks: 1, failed: outcome === 'bad' ? 1 : 0, time: isAnswered ? time : 0, answered: isAnswered ? 1 : 0 }
}
const together = (a: Seen, b: Seen): Seen => ({
  looks: a.looks + b.looks,
  failed: a.failed + b.failed,
  time: a.time + b.time,
  answered: a.answered + b.answered,
})

/** Looks at other devices, each ask at its own pace, and knows what each of them came to last. */
export class Prober {
  #rounds = new Map<number, Round>()
  readonly #slots = new Slots(atOnce)

  /** @param onTurn whenever there is something to tell; at once where it is what a person would be told about */
  constructor(
    private readonly onTurn: (isUrgent: boolean) => void,
    private readonly looking: Looking = { addressOf, look },
  ) {}

  /** From now on these, and no others. One that is as before goes on. */
  follow(asks: readonly ProbeAsk[]): void {
    const wanted = new Map(asks.map((ask) => [ask.id, ask]))
    for (const [id, round] of this.#rounds)
      if (JSON.stringify(wanted.get(id)) !== JSON.stringify(round.ask)) {
        round.stop()
        this.#rounds.delete(id)
      }
    let first = 0
    for (const ask of asks)
      if (!this.#rounds.has(ask.id)) {
        // Not all in the same moment, and each soon.
        this.#rounds.set(ask.id, new Round(ask, this.#slots, this.looking, this.onTurn, (first += 100)))
      }
  }

  stop(): void {
    for (const round of this.#rounds.values()) round.stop()
    this.#rounds.clear()
  }

  /** What was not told yet; it counts as told from now on. */
  take(): ProbeTold[] {
    return [...this.#rounds.values()].flatMap((round) => {
      if (round.isTold) return []
      round.isTold = true
      return round.told() ?? []
    })
  }

  /** The server could not be reached: what failed meanwhile is to be confirmed anew. */
  doubt(): void {
    for (const round of this.#rounds.values()) round.doubt()
  }

  /** They did not arrive. */
  putBack(told: readonly ProbeTold[]): void {
    for (const { id } of told) {
      const round = this.#rounds.get(id)
      if (round) round.isTold = false
    }
  }

  /** How quickly what was looked at answered since this was asked the last time, and how often it did not. */
  readings(): Reading[] {
    const byName = new Map<string, Seen>()
    for (const round of this.#rounds.values()) {
      const name = probeName(round.ask.check, round.ask.host)
      byName.set(name, together(byName.get(name) ?? nothingSeen(), round.takeSeen()))
    }
    return [...byName].flatMap(([name, { looks, failed, time, answered }]): Reading[] => [
      ...(looks ? ([['reach.failed', name, failed / looks]] satisfies Reading[]) : []),
      ...(answered ? ([['reach.time', name, time / answered]] satisfies Reading[]) : []),
    ])
  }
}
