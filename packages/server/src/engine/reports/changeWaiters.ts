import type { DeviceId, Millis } from '#core'
import { rows, type Pool } from '../../db'

interface Waiting {
  version: number
  wake(changed: boolean): void
}

const pollEvery = 3000

/**
 * Agents that wait to be told of a change. A change of the device's version wakes its agent: told by an announcement,
 * and should that be missed, seen at one of the looks that are taken anyway.
 */
export class ChangeWaiters {
  readonly #waiting = new Map<DeviceId, Set<Waiting>>()
  readonly #timer: NodeJS.Timeout
  #looking: NodeJS.Timeout | null = null

  constructor(private readonly pool: Pool) {
    this.#timer = setInterval(() => void this.#look().catch(() => undefined), pollEvery).unref()
  }

  /** Something was announced; several announcements within a moment are one look. */
  changed(): void {
    this.#looking ??= setTimeout(() => {
      this.#looking = null
      void this.#look().catch(() => undefined)
    }, 100).unref()
  }

  wake(deviceIds: Iterable<DeviceId>): void {
    for (const id of deviceIds) for (const waiting of this.#waiting.get(id) ?? []) waiting.wake(true)
  }

  async #look(): Promise<void> {
    if (!this.#waiting.size) return
    const all = [...this.#waiting].flatMap(([id, waiting]) => [...waiting].map(({ version }) => ({ id, version })))
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
  wait(id: DeviceId, version: number, length: Millis, gone: AbortSignal): Promise<boolean> {
    return new Promise((resolve) => {
      const set = this.#waiting.get(id) ?? new Set<Waiting>()
      this.#waiting.set(id, set)
      const end = (changed: boolean) => {
        clearTimeout(timer)
        set.delete(waiting)
        if (!set.size) this.#waiting.delete(id)
        resolve(changed)
      }
      const timer = setTimeout(() => {
        end(false)
      }, length)
      const waiting: Waiting = { version, wake: end }
      set.add(waiting)
      gone.addEventListener(
        'abort',
        () => {
          end(false)
        },
        { once: true },
      )
    })
  }

  stop(): void {
    clearInterval(this.#timer)
    if (this.#looking) clearTimeout(this.#looking)
    for (const set of this.#waiting.values()) for (const waiting of [...set]) waiting.wake(false)
  }
}
