import { second, type DeviceId, type Millis } from '#core'
import { rows, type Pool } from '../../db'

interface Waiting {
  version: number
  wake(changed: boolean): void
}

/** The connection of an agent that waits. */
export interface Line {
  /** How long it waits at most. */
  patience: Millis
  /** Called when it has gone away; it gets no answer then. */
  onGone(listener: () => void): void
  /** Sent now and then, so that nobody between takes the connection for dead. */
  beat(): void
}

const pollEvery = 3000
/** Each look takes so large a part of them, so that all are looked at within half a minute. */
const pollParts = 10
/** Below the minute after which many a proxy cuts a silent connection. */
const beatEvery = 50 * second

/**
 * Agents that wait to be told of a change. A change of the device's version wakes its agent: told by an announcement,
 * and should that be missed, seen at one of the looks that are taken anyway.
 */
export class ChangeWaiters {
  readonly #waiting = new Map<DeviceId, Set<Waiting>>()
  readonly #timer: NodeJS.Timeout
  #looking: NodeJS.Timeout | null = null

  #part = 0

  constructor(private readonly pool: Pool) {
    this.#timer = setInterval(() => {
      this.#part = (this.#part + 1) % pollParts
      void this.#look((id) => id % pollParts === this.#part).catch(() => undefined)
    }, pollEvery).unref()
  }

  /** Something was announced; several announcements within a moment are one look. */
  changed(): void {
    this.#looking ??= setTimeout(() => {
      this.#looking = null
      void this.#look(() => true).catch(() => undefined)
    }, 100).unref()
  }

  wake(deviceIds: Iterable<DeviceId>): void {
    for (const id of deviceIds) for (const waiting of this.#waiting.get(id) ?? []) waiting.wake(true)
  }

  async #look(isWanted: (id: DeviceId) => boolean): Promise<void> {
    const all = [...this.#waiting].flatMap(([id, waiting]) =>
      isWanted(id) ? [...waiting].map(({ version }) => ({ id, version })) : [],
    )
    if (!all.length) return
    // By primary key, one look for all that wait.
    const moved = await rows<{ id: DeviceId }>(
      this.pool,
      `
      select d.id from unnest($1::int[], $2::bigint[]) w (id, version) join device d on d.id = w.id
      where d.version <> w.version or d.retired_at is not null`,
      [all.map((waiter) => waiter.id), all.map((waiter) => waiter.version)],
    )
    this.wake(moved.map((row) => row.id))
  }

  /** Until the device is no longer as it was at this version, or the time is over. @returns whether it was woken */
  wait(id: DeviceId, version: number, line: Line): Promise<boolean> {
    return new Promise((resolve) => {
      const set = this.#waiting.get(id) ?? new Set<Waiting>()
      this.#waiting.set(id, set)
      const until = Date.now() + line.patience
      let timer: NodeJS.Timeout
      const end = (changed: boolean) => {
        clearTimeout(timer)
        set.delete(waiting)
        if (!set.size && this.#waiting.get(id) === set) this.#waiting.delete(id)
        resolve(changed)
      }
      const next = () => {
        const left = until - Date.now()
        timer = setTimeout(
          () => {
            if (left <= beatEvery) return end(false)
            line.beat()
            next()
          },
          Math.min(beatEvery, left),
        )
      }
      const waiting: Waiting = { version, wake: end }
      set.add(waiting)
      next()
      line.onGone(() => {
        end(false)
      })
    })
  }

  stop(): void {
    clearInterval(this.#timer)
    if (this.#looking) clearTimeout(this.#looking)
    for (const set of this.#waiting.values()) for (const waiting of [...set]) waiting.wake(false)
  }
}
