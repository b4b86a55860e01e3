import type { Collector, Facts, LogEvent, Millis, Reading, TopProcesses } from '#core'

export interface Collected {
  readings?: Reading[]
  facts?: Facts
  events?: LogEvent[]
  /** Log entries that were seen and not told, because there were too many. */
  leftOut?: number
  /** What used the machine most, where this is a moment worth telling. */
  top?: TopProcesses
  /** How far it has read. Kept with the report that this goes into, and given back after a restart. */
  place?: unknown
}

/** Gathers one subject. Fails by throwing, with a reason for the technician; the others go on. */
export interface Collect {
  name: Collector
  collect(now: Millis): Promise<Collected> | Collected
}

/** A part that cannot be had on this machine: said once, in words, and no mistake of the agent. */
export class NotHereError extends Error {}
