import { createHash } from 'node:crypto'
import { day, type Facts, type FactSubject, type Millis } from '#core'

/**
 * Told again once a day, whatever happened: nobody can know of everything that may have gone wrong at the other end.
 */
const tellAllEvery: Millis = day

/**
 * Which facts the server knows: those of acknowledged reports, and no others. What is on its way is not told twice;
 * after a refusal or a loss nobody knows any more what was told, and everything is told again.
 */
export class Told {
  readonly #known = new Map<FactSubject, string>()
  readonly #underWay = new Map<number, Map<FactSubject, string>>()
  #allToldAt: Millis | null = null

  /** Facts that are to be told now. @param at by a clock that nobody sets */
  changed(facts: Facts, at: Millis): Facts {
    if (this.#allToldAt === null || at - this.#allToldAt >= tellAllEvery) {
      this.forget()
      this.#allToldAt = at
    }
    const changed: Facts = {}
    for (const [subject, value] of Object.entries(facts) as [FactSubject, never][])
      if (this.#latest(subject) !== digestOf(value)) changed[subject] = value
    return changed
  }

  #latest(subject: FactSubject): string | undefined {
    return (
      [...this.#underWay.values()].findLast((facts) => facts.has(subject))?.get(subject) ?? this.#known.get(subject)
    )
  }

  /** They stand in this report. */
  send(seq: number, facts: Facts): void {
    const entries = Object.entries(facts) as [FactSubject, never][]
    if (entries.length) this.#underWay.set(seq, new Map(entries.map(([subject, value]) => [subject, digestOf(value)])))
  }

  /** The server has every report up to this one. */
  acknowledged(upTo: number): void {
    for (const [seq, facts] of [...this.#underWay].sort(([a], [b]) => a - b)) {
      if (seq > upTo) break
      this.#underWay.delete(seq)
      for (const [subject, digest] of facts) this.#known.set(subject, digest)
    }
  }

  forget(): void {
    this.#known.clear()
    this.#underWay.clear()
  }
}

function digestOf(value: unknown): string {
  return createHash('sha256')
    .update(JSON.stringify(value) ?? '')
    .digest('base64')
}
