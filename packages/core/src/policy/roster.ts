import type { Target } from '../estate'
import type { ParameterValue, WatchInForce } from '../watch'
import type { Assignment, Exception, Template } from './template'

/** Where a value comes from. */
export interface Source {
  from: 'default' | 'template' | 'assignment' | 'exception'
  id: number
  /** The template's name, or the reason of the exception. */
  name: string
  revision: number | null
  target: Target | null
}

export interface ChainLink {
  value: ParameterValue
  source: Source
  dormant: boolean
}

/** `standing`: evaluated, or placed but asleep, or left out by an exception. */
export interface EffectiveWatch extends WatchInForce {
  name: string
  why: string
  /** For each parameter what won, first, and then what it beat, in order. */
  chains: Readonly<Record<string, readonly ChainLink[]>>
  /** Every placed template that brings this watch. */
  broughtBy: Source[]
  leftOutBy: Source | null
}

/** What one device really gets, by key. */
export type Roster = readonly EffectiveWatch[]

export interface Policy {
  templates: readonly Template[]
  assignments: readonly Assignment[]
  exceptions: readonly Exception[]
}
