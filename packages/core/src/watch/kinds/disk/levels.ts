import type { Bytes, Millis } from '../../../units'
import { read } from '../../kind'
import type { Values } from '../../parameter'
import type { Filled } from './filled'

export const levels = ['warning', 'critical'] as const
export type Level = (typeof levels)[number]
/** What can be asked of a level, all of which must then be true: its share, its bytes, and how soon it is full. */
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

/** How soon full a disk is told of however much of it is free. */
export const soonOf = (values: Values, level: Level): Millis | null => read.optional(values, `${level}.soon`)

/** Whether a level asks anything of what is free. */
export const isAsked = (values: Values, level: Level): boolean =>
  measures.some((measure) => limitsOf(values, level)[measure] !== null)

const isUsed = (values: Values, measure: Measure) => levels.some((level) => limitsOf(values, level)[measure] !== null)
export const isSoonUsed = (values: Values): boolean => levels.some((level) => soonOf(values, level) !== null)

/** Whether how fast a disk fills matters. */
export const asksDays = (values: Values): boolean => isUsed(values, 'left') || isSoonUsed(values)

/** By what it clears: what no level asks for says nothing of it. */
export const clearedBy = (values: Values): Measure[] =>
  measures.filter((measure) => isUsed(values, measure) && limitsOf(values, 'clear')[measure] !== null)

/** Whether a level may be true by what is free: its share and its bytes, as far as they are asked. */
export function isBelow(values: Values, level: Level, free: Bytes, total: Bytes): boolean {
  const { percent, bytes } = limitsOf(values, level)
  return isAsked(values, level) && (percent === null || free / total < percent) && (bytes === null || free < bytes)
}

const isFullWithin = (filled: Filled, within: Millis) =>
  typeof filled === 'object' && filled !== null && filled.likely < within

/** Whether a level is true. What is not known of how fast a disk fills makes none so. */
export function isTrue(values: Values, level: Level, free: Bytes, total: Bytes, filled: Filled): boolean {
  const { left } = limitsOf(values, level)
  const soon = soonOf(values, level)
  return (
    (isBelow(values, level, free, total) && (left === null || isFullWithin(filled, left))) ||
    (soon !== null && isFullWithin(filled, soon))
  )
}

/**
 * Whether it is well beyond what is asked: one of what it clears by is enough for its share, bytes and time; it must
 * also not be full soon, where that is asked.
 */
export function isClear(values: Values, free: Bytes, total: Bytes, filled: Filled): boolean {
  // Nothing was read of its days: it may fill as it did before.
  if (asksDays(values) && filled === 'unknown') return false
  const clear = limitsOf(values, 'clear')
  const isFar = clear.left === null || !isFullWithin(filled, clear.left)
  const isBeyond: Record<Measure, () => boolean> = {
    percent: () => free / total >= clear.percent!,
    bytes: () => free >= clear.bytes!,
    left: () => isFar,
  }
  const by = clearedBy(values)
  return (!by.length || by.some((measure) => isBeyond[measure]())) && (!isSoonUsed(values) || isFar)
}
