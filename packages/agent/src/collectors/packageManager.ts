import type { Millis, RefreshFailure, WaitingUpdate } from '#core'

/** An update as a package manager tells it; since when it waits is known by whoever looked before. */
export type FoundUpdate = Omit<WaitingUpdate, 'since'>

/** What would be done if everything were brought up to date now. */
export interface FoundUpdates {
  waiting: FoundUpdate[]
  /** Names of packages that nothing needs any more. */
  leftover: string[]
}

/** What installs and removes packages on this machine. */
export interface PackageManager {
  /** Changes nothing. @throws Error with its last words, where it cannot say */
  look(): Promise<FoundUpdates>
  /** When what `look` tells was asked. */
  askedAt(now: Millis): Millis
  /** Another mark: something was installed, removed, held or fetched since. */
  mark(): string
  /** When packages changed last: while that is a moment ago, they may be changing still. */
  changedAt(): Millis
  /** When its lists were fetched last; null: never. */
  listsAt(): Millis | null
  /** Undefined: nobody can tell. */
  refresh(): RefreshFailure | null | undefined
  restartPending(): boolean
  installedAt(): Millis | null
}
