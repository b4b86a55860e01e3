import { hoursOfWeek, type RhythmMoment } from '#core'

export const dayNames = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const

/** Hours of one day of the week, counted from Monday 00:00; `last` is not with them. */
export interface Hours {
  first: number
  last: number
}

const clock = (hour: number) => `${String(hour).padStart(2, '0')}:00`

/** `cellTitle(33)`: *Tuesday 09:00*. */
export const cellTitle = (cell: number): string => `${dayNames[Math.floor(cell / 24)]} ${clock(cell % 24)}`

/** From one cell to another on the day of the first, in either order. */
export function cellsBetween(begun: number, cell: number): Hours {
  const day = Math.floor(begun / 24)
  const hour = Math.floor(cell / 24) === day ? cell : day * 24 + (cell % 24)
  return { first: Math.min(begun, hour), last: Math.max(begun, hour) + 1 }
}

/** `hoursTitle({ first: 32, last: 35 })`: *Tuesdays from 08:00 to 11:00*; over midnight the day of the end is named. */
export function hoursTitle({ first, last }: Hours): string {
  const isNextDay = Math.floor((last - 1) / 24) !== Math.floor(first / 24)
  const end = isNextDay ? cellTitle(last % hoursOfWeek) : last % 24 === 0 ? '24:00' : clock(last % 24)
  return `${dayNames[Math.floor(first / 24)]}s from ${clock(first % 24)} to ${end}`
}

/** How an address says it. */
export const hoursText = ({ first, last }: Hours): string => `${first}-${last}`
export function hoursOfText(text: string): Hours | null {
  const found = /^(\d{1,3})-(\d{1,3})$/.exec(text)
  if (!found) return null
  const [first, last] = [Number(found[1]), Number(found[2])]
  return first < last && last <= hoursOfWeek ? { first, last } : null
}

/** Each week by itself, the oldest first: the mean of each of its hours. */
export function weeksOf(moments: readonly RhythmMoment[]): { week: number; means: (number | null)[] }[] {
  const weeks = new Map<number, (number | null)[]>()
  for (const { week, cell, mean } of moments) {
    let means = weeks.get(week)
    if (!means) weeks.set(week, (means = Array<number | null>(hoursOfWeek).fill(null)))
    means[cell] = mean
  }
  return [...weeks].map(([week, means]) => ({ week, means })).sort((a, b) => a.week - b.week)
}
