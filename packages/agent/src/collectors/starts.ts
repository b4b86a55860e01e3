import { second, startsTold, type Millis, type ServiceStarts } from '#core'

/**
 * How often services were started between two looks, whatever they are when one looks: told of those that were started
 * more than once in the last hour. What is seen for the first time was not started since.
 * @typeParam Run what tells one run of a service from another
 */
export class Starts<Run> {
  #before: ReadonlyMap<string, Run> | null = null
  #looks = new Map<string, { at: Millis; count: number }[]>()

  /** @param between how often it was started between two looks; `before` is absent where it was not seen before */
  constructor(private readonly between: (before: Run, now: Run) => number) {}

  /**
   * @param now by a clock that nobody sets
   * @param at by the device's own clock, by which the looks are told as it goes now
   */
  next(runs: ReadonlyMap<string, Run>, now: Millis, at: Millis = Date.now()): ServiceStarts[] {
    for (const [name, run] of runs) {
      const before = this.#before?.get(name)
      const count = before === undefined ? 0 : this.between(before, run)
      if (count > 0) this.#looks.set(name, [...(this.#looks.get(name) ?? []), { at: now, count }])
    }
    this.#before = runs
    const told: ServiceStarts[] = []
    for (const [name, all] of this.#looks) {
      const looks = all.filter((look) => look.at > now - startsTold)
      if (!looks.length) this.#looks.delete(name)
      else this.#looks.set(name, looks)
      if (looks.reduce((sum, { count }) => sum + count, 0) > 1)
        told.push({
          service: name,
          looks: looks.map((look) => ({ at: Math.round((at - (now - look.at)) / second) * second, count: look.count })),
        })
    }
    return told.sort((a, b) => (a.service < b.service ? -1 : 1))
  }
}
