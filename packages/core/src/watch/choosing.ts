import type { Facts } from '../estate'
import { chosen } from '../text'
import type { Choosing } from './kind'
import type { ParameterValue, Values } from './parameter'

export interface Choice {
  name: string
  title: string
  in: boolean
}

/** The patterns of a value: a list of them, or one as a text, where nothing written means everything. */
function patternsOf(value: ParameterValue | undefined): readonly string[] {
  if (typeof value === 'string') return [value || '*']
  return Array.isArray(value) ? (value as readonly string[]) : []
}

/** What a watch's names choose of what a device has, those that are in first. */
export function tryChoice({ include, except, of }: Choosing, values: Values, facts: Facts): Choice[] {
  const [wanted, left] = [patternsOf(values[include]), except === undefined ? [] : patternsOf(values[except])]
  return of(facts)
    .map((fact) => ({ ...fact, in: chosen(wanted, left, fact.name) }))
    .sort((a, b) => Number(b.in) - Number(a.in) || a.name.localeCompare(b.name, 'en', { numeric: true }))
}
