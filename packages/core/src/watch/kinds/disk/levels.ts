import type { Bytes } from '../../../units'
import { read } from '../../kind'
import type { Values } from '../../parameter'
import type { Filled } from './filled'

export const levels = ['warning', 'critical'] as const
export type Level = (typeof levels)[number]
export const measures = ['percent', 'bytes', 'left'] as const
export type Measure = (typeof measures)[number]

/** What is asked of one level, or of clearing: null where it is off. */
export function limitsOf(values: Values, level: Level | 'clear'): Record<Measure, number | null> {
  return {
    percent: read.optional(values, `${level}.percent`),
    bytes: read.optional(values, `${level}.bytes`),
    left: read.optional(values, `${level}.left`),
  }
}

export const isAsked = (values: Values, level: Level): boolean =>
  measures.some((measure) => limitsOf(values, level)[measure] !== null)

const isUsed = (values: Values, measure: Measure) => levels.some((level) => limitsOf(values, level)[measure] !== null)

/** Whether how fast a disk fills matters. */
export const asksDays = (values: Values): boolean => isUsed(values, 'left')

/** By what it clears: what no level asks for says nothing of it. */
export const clearedBy = (values: Values): Measure[] =>
  measures.filter((measure) => isUsed(values, measure) && limitsOf(values, 'clear')[measure] !== null)

/** Whether a level may be true by what is free: its share and its bytes, as far as they are asked. */
export function isBelow(values: Values, level: Level, free: Bytes, total: Bytes): boolean {
  const { percent, bytes } = limitsOf(values, level)
  return isAsked(values, level) && (percent === null || free / total < percent) && (bytes === null || free < bytes)
}

/** Whether a level is true; null: that cannot be said before it is known how fast the disk fills. */
export function isTrue(values: Values, level: Level, free: Bytes, total: Bytes, filled: Filled): boolean | null {
  if (!isBelow(values, level, free, total)) return false
  const { left } = limitsOf(values, level)
  if (left === null) return true
  return filled === 'unknown' ? null : filled !== null && filled.likely < left
}

/** Whether it is well beyond what is asked. One of what it clears by is enough; where there is none, no level is. */
export function isClear(values: Values, free: Bytes, total: Bytes, filled: Filled): boolean {
  const clear = limitsOf(values, 'clear')
  const by = clearedBy(values)
  if (!by.length) return !asksDays(values) || filled !== 'unknown'
  const isBeyond: Record<Measure, () => boolean> = {
    percent: () => free / total >= clear.percent!,
    bytes: () => free >= clear.bytes!,
    left: () => filled === null || (filled !== 'unknown' && filled.likely >= clear.left!),
  }
  return by.some((measure) => isBeyond[measure]())
}
