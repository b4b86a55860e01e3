import { daysOfWeek } from '#core'
import { dateOf } from './days'

export const weekOf = (index: number): number => Math.floor(index / daysOfWeek)
export const dateOfWeek = (week: number): string => dateOf(week * daysOfWeek)
