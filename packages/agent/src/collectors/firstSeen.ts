import { readJson, writeWhole } from '#files'
import type { Millis, Updates, WaitingUpdate } from '#core'
import type { FoundUpdate, FoundUpdates } from './packageManager'

/** What was there when one looked last, and since when. */
interface Seen {
  /** Of an update; `security`: since when it mends something of security. */
  waiting: Record<string, { at: Millis; security?: Millis }>
  leftover: Record<string, Millis>
  /** Of programs that run replaced files, by their names. */
  outdated: Record<string, Millis>
  restart: Millis | null
  refresh: Millis | null
}

const nothing: Seen = { waiting: {}, leftover: {}, outdated: {}, restart: null, refresh: null }

/** What stands in a file, or what versions before 0.11.0 have written: names and times alone. */
function seenIn(file: string | null): Seen {
  const found = file === null ? null : readJson<Partial<Seen> | Record<string, Millis>>(file)
  if (!found || typeof found !== 'object') return nothing
  if (typeof (found as Partial<Seen>).waiting === 'object') return { ...nothing, ...(found as Partial<Seen>) }
  const times = Object.entries(found).filter((entry): entry is [string, Millis] => typeof entry[1] === 'number')
  return { ...nothing, waiting: Object.fromEntries(times.map(([name, at]) => [name, { at, security: at }])) }
}

const earliest = (times: readonly Millis[]) => (times.length ? Math.min(...times) : null)

/**
 * Remembers when each thing was first seen here: nobody tells since when an update waits. One that was an ordinary one
 * first counts for security from when it became one.
 * @param file null: it remembers for as long as it runs
 */
export class FirstSeen {
  #seen: Seen
  readonly #file: string | null

  constructor(file: string | null) {
    this.#file = file
    this.#seen = seenIn(file)
  }

  /** Forgets what waits no longer. */
  waiting(found: readonly FoundUpdate[], now: Millis): WaitingUpdate[] {
    const next: Seen['waiting'] = {}
    const waiting = found.map((update): WaitingUpdate => {
      const before = this.#seen.waiting[update.name]
      const at = before?.at ?? now
      const security = update.security ? (before?.security ?? now) : undefined
      next[update.name] = { at, ...(security === undefined ? {} : { security }) }
      return { ...update, since: security ?? at }
    })
    this.#seen = { ...this.#seen, waiting: next }
    return waiting
  }

  leftover(names: readonly string[], now: Millis): Millis | null {
    const next = Object.fromEntries(names.map((name) => [name, this.#seen.leftover[name] ?? now]))
    this.#seen = { ...this.#seen, leftover: next }
    return earliest(Object.values(next))
  }

  outdated(names: readonly string[], now: Millis): Record<string, Millis> {
    const next = Object.fromEntries(names.map((name) => [name, this.#seen.outdated[name] ?? now]))
    this.#seen = { ...this.#seen, outdated: next }
    return next
  }

  /** Since when something has been so; null where it is not. */
  state(name: 'restart' | 'refresh', isSo: boolean, now: Millis): Millis | null {
    const since = isSo ? (this.#seen[name] ?? now) : null
    this.#seen = { ...this.#seen, [name]: since }
    return since
  }

  #written = ''
  keep(): void {
    const text = JSON.stringify(this.#seen)
    if (this.#file === null || text === this.#written) return
    try {
      writeWhole(this.#file, text)
      this.#written = text
    } catch {
      // Then they count as first seen now once more, after a restart.
    }
  }
}

type Counts = Pick<
  Updates,
  | 'security'
  | 'other'
  | 'oldestSecurityAt'
  | 'oldestOtherAt'
  | 'held'
  | 'heldSecurity'
  | 'oldestHeldAt'
  | 'leftover'
  | 'oldestLeftoverAt'
  | 'names'
>

/** The same in figures, and all that waits, what mends security first. */
export function countUpdates(
  { waiting, leftover }: FoundUpdates,
  seen: FirstSeen,
  now: Millis,
): { counts: Counts; waiting: WaitingUpdate[] } {
  // One that is told twice is one.
  const all = seen.waiting([...new Map(waiting.map((update) => [update.name, update])).values()], now)
  const held = all.filter((update) => update.held)
  const security = all.filter((update) => !update.held && update.security)
  const other = all.filter((update) => !update.held && !update.security)
  const oldest = (updates: readonly WaitingUpdate[]) => earliest(updates.map(({ since }) => since))
  return {
    counts: {
      security: security.length,
      other: other.length,
      oldestSecurityAt: oldest(security),
      oldestOtherAt: oldest(other),
      held: held.length,
      heldSecurity: held.filter((update) => update.security).length,
      oldestHeldAt: oldest(held),
      leftover: leftover.length,
      oldestLeftoverAt: seen.leftover(leftover, now),
      names: [...security, ...other].map(({ name }) => name).slice(0, 200),
    },
    waiting: [...security, ...held, ...other],
  }
}
