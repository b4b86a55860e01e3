import type { Target } from '../estate'
import type { WatchSpec } from './template'

/** A watch of the library, with the reason for each value that differs from, or confirms, the kind's default. */
export interface LibraryWatch extends WatchSpec {
  reasons: Readonly<Record<string, string>>
}
export interface LibraryTemplate {
  name: string
  description: string
  /** Where it is meant to go. */ suits: Target
  watches: LibraryWatch[]
}
