import type { Bytes, Millis } from '../../../units'
import { read } from '../../kind'
import type { Values } from '../../parameter'
import type { Filled } from './filled'

export const levels = ['warning', 'critical'] as const
export type Level = (typeof levels)[number]
/** What can be asked of a level, all of which must then be true: its share, its bytes, and how soon it is full. */
export const measures = ['percent', 'bytes', 'left'] as const
export type Measure = (typeof measures)[number]

/** What is asked of a level, or of clearing: null where it is off. */
export interface Limits extends Record<Measure, number | null> {
  /** How soon full a disk is told of however much of it is free. */
  soon: Millis | null
  /** Whether anything is asked of what is free. */
  isAsked: boolean
}

/** The values of a watch as they are asked of each look. */
export interface Asked {
  warning: Limits
  critical: Limits
  clear: Limits
  /** Whether a disk is told that is full soon, however much of it is free. */
  isSoonUsed: boolean
  /** Whether how fast a disk fills matters. */
  asksDays: boolean
  /** By what it clears: what no level asks for says nothing of it. */
  clearedBy: Measure[]
}

function limitsOf(values: Values, level: Level | 'clear'): Limits {
  const [percent, bytes, left, soon] = [...measures, 'soon'].map((name) => read.optional(values, `${level}.${name}`))
  return {
    percent: percent!,
    bytes: bytes!,
    left: left!,
    soon: soon!,
    isAsked: percent !== null || bytes !== null || left !== null,
  }
}

const known = new WeakMap<Values, Asked>()

/** Worked out once for the same values: it is asked for with every look. */
export function askedOf(values: Values): Asked {
  let asked = known.get(values)
  if (!asked) {
    const of = { warning: limitsOf(values, 'warning'), critical: limitsOf(values, 'critical') }
    const clear = limitsOf(values, 'clear')
    const isUsed = (name: Measure | 'soon') => levels.some((level) => of[level][name] !== null)
    asked = {
      ...of,
      clear,
      isSoonUsed: isUsed('soon'),
      asksDays: isUsed('left') || isUsed('soon'),
      clearedBy: measures.filter((measure) => isUsed(measure) && clear[measure] !== null),
    }
    known.set(values, asked)
  }
  return asked
}

/** Whether a level may be true by what is free: its share and its bytes, as far as they are asked. */
export function isBelow({ percent, bytes, isAsked }: Limits, free: Bytes, total: Bytes): boolean {
  return isAsked && (percent === null || free / total < percent) && (bytes === null || free < bytes)
}

const isFullWithin = (filled: Filled, within: Millis) =>
  typeof filled === 'object' && filled !== null && filled.likely < within

/** Whether a level is true. What is not known of how fast a disk fills makes none so. */
export function isTrue(limits: Limits, free: Bytes, total: Bytes, filled: Filled): boolean {
  const { left, soon } = limits
  return (
    (isBelow(limits, free, total) && (left === null || isFullWithin(filled, left))) ||
    (soon !== null && isFullWithin(filled, soon))
  )
}

/**
 * Whether it is well beyond what is asked: one of what it clears by is enough for its share, bytes and time; it must
 * also not be full soon, where that is asked.
 */
export function isClear(asked: Asked, free: Bytes, total: Bytes, filled: Filled): boolean {
  // Nothing was read of its days: it may fill as it did before.
  if (asked.asksDays && filled === 'unknown') return false
  const { clear, clearedBy: by } = asked
  const isFar = clear.left === null || !isFullWithin(filled, clear.left)
  const isBeyond: Record<Measure, () => boolean> = {
    percent: () => free / total >= clear.percent!,
    bytes: () => free >= clear.bytes!,
    left: () => isFar,
  }
  return (!by.length || by.some((measure) => isBeyond[measure]())) && (!asked.isSoonUsed || isFar)
}
