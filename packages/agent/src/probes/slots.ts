/** So many at a time; the others wait in order. */
export class Slots {
  #free: number
  readonly #waiting: (() => void)[] = []

  constructor(count: number) {
    this.#free = count
  }

  async use<T>(work: () => Promise<T>): Promise<T> {
    if (this.#free > 0) this.#free--
    else
      await new Promise<void>((resolve) => {
        this.#waiting.push(resolve)
      })
    try {
      return await work()
    } finally {
      const next = this.#waiting.shift()
      if (next) next()
      else this.#free++
    }
  }
}
