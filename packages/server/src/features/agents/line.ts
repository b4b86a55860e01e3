import { minute, second, type Millis } from '#core'
import type { FastifyReply, FastifyRequest } from 'fastify'
import type { Line } from '../../engine'

/** An agent that does not say how long it waits gives up after 30 s. */
const unsaid: Millis = 20 * second
const longest: Millis = 10 * minute

/** What an agent says by the header `Prefer: wait=` (RFC 7240), in milliseconds. */
export function patienceOf(prefer: string | string[] | undefined): Millis {
  const found = /^wait=(\d{1,4})$/.exec(String(prefer ?? ''))
  return found ? Math.min(longest, Number(found[1]) * second) : unsaid
}

/**
 * The connection of an agent that waits for its answer. Spaces are sent ahead of the answer, which JSON allows for; an
 * answer without any goes the ordinary way.
 */
export class WaitingLine implements Line {
  readonly patience: Millis
  #hasBegun = false

  constructor(
    request: FastifyRequest,
    private readonly reply: FastifyReply,
  ) {
    this.patience = patienceOf(request.headers.prefer)
  }

  onGone(listener: () => void): void {
    this.reply.raw.once('close', listener)
  }

  beat(): void {
    const { raw } = this.reply
    if (!this.#hasBegun) {
      this.#hasBegun = true
      this.reply.hijack()
      raw.writeHead(200, {
        'content-type': 'application/json; charset=utf-8',
        'cache-control': 'no-store',
        'x-accel-buffering': 'no',
      })
    }
    raw.write(' ')
  }

  /** Answers with what `work` gives. What fails after the first space can only be cut off, and is asked for again. */
  async answer<Answer>(work: Promise<Answer>): Promise<Answer> {
    const { raw } = this.reply
    try {
      const answer = await work
      if (this.#hasBegun) raw.end(JSON.stringify(answer))
      return answer
    } catch (error) {
      if (this.#hasBegun) raw.destroy()
      throw error
    }
  }
}
