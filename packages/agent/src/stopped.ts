import type { FailureKind } from '#core'

/** Ends the way to a machine, with the kind that a technician acts on. */
export class Stopped extends Error {
  constructor(readonly failure: FailureKind, reason: string) { super(reason) }
}
