import type { Millis } from '#core'

/** What an ask is looked at with. */
export interface Way {
  address: string
  host: string
  timeout: Millis
  stop: AbortSignal
}
