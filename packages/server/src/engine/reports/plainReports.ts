import type { DeviceId } from '#core'
import { refusedByDatabase, type Pool } from '../../db'
import { storeReports, type Advance } from './storeReports'

/** Reports of so many devices go in one statement at most, and so many statements are under way at a time. */
const mostAtOnce = 64
const mostUnderWay = 1

interface Waiting {
  advance: Advance
  resolve(stored: boolean): void
  reject(error: unknown): void
}

/**
 * Stores the reports that change nothing but the device's row. What comes while statements are under way waits and goes
 * together in the next one: a single report is stored at once, and a thousand a second share their round trips and
 * flushes. When a group is refused, each of it is stored by itself, so that the one at fault costs only itself.
 */
export class PlainReports {
  static readonly #of = new WeakMap<Pool, PlainReports>()
  static of(pool: Pool): PlainReports {
    let found = this.#of.get(pool)
    if (!found) this.#of.set(pool, (found = new PlainReports(pool)))
    return found
  }

  #waiting: Waiting[] = []
  #underWay = 0
  private constructor(private readonly pool: Pool) {}

  /** @returns false: the device or the policy has moved on meanwhile, and nothing was written */
  store(advance: Advance): Promise<boolean> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ advance, resolve, reject })
      this.#next()
    })
  }

  #next(): void {
    if (this.#underWay >= mostUnderWay || !this.#waiting.length) return
    const group = this.#take()
    this.#underWay++
    void this.#storeGroup(group).finally(() => {
      this.#underWay--
      this.#next()
    })
  }

  /** The longest waiting, one of each device; in order of device, as everything that locks several does. */
  #take(): Waiting[] {
    const taken = new Map<DeviceId, Waiting>()
    this.#waiting = this.#waiting.filter((waiting) => {
      const { deviceId } = waiting.advance
      if (taken.size >= mostAtOnce || taken.has(deviceId)) return true
      taken.set(deviceId, waiting)
      return false
    })
    return [...taken.values()].sort((a, b) => a.advance.deviceId - b.advance.deviceId)
  }

  async #storeGroup(group: readonly Waiting[]): Promise<void> {
    try {
      const advances = group.map(({ advance }) => advance)
      const stored = await storeReports(this.pool, advances, true)
      for (const waiting of group)
        if (stored.has(waiting.advance.deviceId)) waiting.resolve(true)
        // Held by another transaction, or moved on: it waits or finds out by itself, and nobody else with it.
        else void this.#storeAlone(waiting)
    } catch (error) {
      if (refusedByDatabase(error) === null) for (const { reject } of group) reject(error)
      else for (const waiting of group) await this.#storeAlone(waiting)
    }
  }

  async #storeAlone({ advance, resolve, reject }: Waiting): Promise<void> {
    try {
      resolve((await storeReports(this.pool, [advance])).has(advance.deviceId))
    } catch (error) {
      reject(error)
    }
  }
}
