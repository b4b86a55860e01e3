import { second, type Millis } from '#core'
import type { Identity } from '../identity/identity'
import { call, RefusedError } from '../uplink'
import type { Prober } from './prober'

/** What is no news to anybody waits for more of its kind. */
const ordinaryWait: Millis = 15 * second
const urgentWait: Millis = second / 4

/** Tells the server what looks came to: at once what a person would hear of, the rest together. */
export class Telling {
  #timer: NodeJS.Timeout | undefined
  #due = Infinity
  #isStopped = false
  #isSending = false
  #trouble = ''

  constructor(
    private readonly identity: Identity,
    private readonly prober: Pick<Prober, 'take' | 'putBack' | 'doubt'>,
    private readonly say: (text: string) => void,
  ) {}

  stop(): void {
    this.#isStopped = true
    clearTimeout(this.#timer)
  }

  /** @param isUrgent a person would hear of it */
  soon(isUrgent: boolean): void {
    this.#within(isUrgent ? urgentWait : ordinaryWait)
  }

  #within(wait: Millis): void {
    const due = performance.now() + wait
    if (this.#isStopped || due >= this.#due) return
    clearTimeout(this.#timer)
    this.#due = due
    this.#timer = setTimeout(() => {
      this.#due = Infinity
      void this.#send()
    }, wait)
  }

  async #send(): Promise<void> {
    // One after the other: an older word must not arrive after a newer one.
    if (this.#isSending) return this.#within(urgentWait)
    // Where the way to the server was down, the one to what is looked at may have been.
    if (this.#trouble) this.prober.doubt()
    const probes = this.prober.take()
    if (!probes.length) return
    this.#isSending = true
    try {
      await call(this.identity, 'POST', '/api/agent/probes', { probes }, this.identity.deviceKey)
      this.#trouble = ''
    } catch (error) {
      this.prober.putBack(probes)
      const { message } = error as Error
      if (message !== this.#trouble) this.say(`what was looked at on other devices was not told: ${message}`)
      this.#trouble = message
      const asked = error instanceof RefusedError ? error.retryAfter * second : 0
      this.#within(Math.max(ordinaryWait, asked))
    } finally {
      this.#isSending = false
    }
  }
}
