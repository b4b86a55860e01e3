import { readJson, writeWhole } from '#files'
import type { Millis, Updates, WaitingUpdate } from '#core'
import type { FoundUpdate, FoundUpdates } from './packageManager'

type Times = ReadonlyMap<string, Millis>
const kinds = ['ordinary', 'security', 'leftover', 'outdated', 'states'] as const
/**
 * What was there when one looked last, and since when, by its name: updates, and since when they mend something of
 * security; leftovers; programs that run replaced files; what is so of the machine.
 */
type Seen = Record<(typeof kinds)[number], Times>

/** Of an object in a file, what is a time and not in the future: a clock may have been set back since. */
function timesIn(value: unknown, now: Millis): Times {
  const entries = typeof value === 'object' && value !== null ? Object.entries(value) : []
  return new Map(
    entries
      .filter((entry): entry is [string, Millis] => Number.isFinite(entry[1]))
      .map(([name, at]) => [name, Math.min(at, now)]),
  )
}

/** What stands in a file, or what versions before 0.11.0 have written: names and times alone. */
function seenIn(file: string | null, now: Millis): Seen {
  const found = file === null ? null : readJson<Record<string, unknown>>(file)
  const isOwn = kinds.some((kind) => typeof found?.[kind] === 'object')
  const of = (kind: (typeof kinds)[number]) => timesIn(found?.[kind], now)
  const older = isOwn ? null : timesIn(found, now)
  return {
    ordinary: older ?? of('ordinary'),
    security: older ?? of('security'),
    leftover: of('leftover'),
    outdated: of('outdated'),
    states: of('states'),
  }
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

  constructor(file: string | null, now: Millis = Date.now()) {
    this.#file = file
    this.#seen = seenIn(file, now)
  }

  /** Since when each of these is there; forgets what is there no longer. */
  #since(kind: (typeof kinds)[number], names: readonly string[], now: Millis): Times {
    const before = this.#seen[kind]
    const times = new Map(names.map((name) => [name, Math.min(before.get(name) ?? now, now)]))
    this.#seen = { ...this.#seen, [kind]: times }
    return times
  }

  waiting(found: readonly FoundUpdate[], now: Millis): WaitingUpdate[] {
    const named = (updates: readonly FoundUpdate[]) => updates.map(({ name }) => name)
    const all = this.#since('ordinary', named(found), now)
    const security = this.#since('security', named(found.filter((update) => update.security)), now)
    return found.map((update) => ({ ...update, since: security.get(update.name) ?? all.get(update.name)! }))
  }

  leftover(names: readonly string[], now: Millis): Millis | null {
    return earliest([...this.#since('leftover', names, now).values()])
  }

  outdated(names: readonly string[], now: Millis): Times {
    return this.#since('outdated', names, now)
  }

  /** Since when something has been so; null where it is not. */
  state(name: 'restart' | 'refresh', isSo: boolean, now: Millis): Millis | null {
    const others = [...this.#seen.states.keys()].filter((other) => other !== name)
    return this.#since('states', isSo ? [...others, name] : others, now).get(name) ?? null
  }

  #written = ''
  keep(): void {
    const text = JSON.stringify(Object.fromEntries(kinds.map((kind) => [kind, Object.fromEntries(this.#seen[kind])])))
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
