import type { DeviceId } from '#core'
import { refusedByDatabase, type Pool } from '../../db'
import { loadContext, loadContexts } from '../context'
import type { DeviceContext } from '../types'

/** So many devices are read in one go at most. */
const mostAtOnce = 64

interface Wanted {
  id: DeviceId
  resolve(context: DeviceContext | null): void
  reject(error: unknown): void
}

/**
 * Reads contexts for reports that come without one. What is wanted while some are being read waits and is read
 * together: after a restart, or a change of policy, that is every device within its interval. Each is read after it was
 * asked for, so that it is never older than that.
 */
export class ContextLoads {
  #waiting: Wanted[] = []
  #isReading = false
  constructor(private readonly pool: Pool) {}

  /** @returns null when there is no such device in use */
  load(id: DeviceId): Promise<DeviceContext | null> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ id, resolve, reject })
      void this.#next()
    })
  }

  async #next(): Promise<void> {
    if (this.#isReading) return
    this.#isReading = true
    while (this.#waiting.length) await this.#read(this.#waiting.splice(0, mostAtOnce))
    this.#isReading = false
  }

  async #read(wanted: readonly Wanted[]): Promise<void> {
    try {
      const found = await loadContexts(this.pool, [...new Set(wanted.map(({ id }) => id))])
      for (const { id, resolve } of wanted) resolve(found.get(id) ?? null)
    } catch (error) {
      // While the database is away all of them are told so at once; one that it refuses costs only itself.
      if (refusedByDatabase(error) === null) for (const { reject } of wanted) reject(error)
      else for (const { id, resolve, reject } of wanted) await loadContext(this.pool, id).then(resolve, reject)
    }
  }
}
