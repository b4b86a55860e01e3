import type { UsualPage } from '#contract'
import { expectedOver, hoursOfWeek, usualBand, type MetricName, type Millis, type Usual, type UsualBand } from '#core'

export interface UsualAtMoment extends UsualBand {
  middle: number
}

function usualOf({ zone, from, until, days, oddDays, beganAnew, cells }: UsualPage): Usual {
  const [middle, spread] = [new Float32Array(hoursOfWeek).fill(NaN), new Float32Array(hoursOfWeek).fill(NaN)]
  for (const cell of cells) [middle[cell.cell], spread[cell.cell]] = [cell.middle, cell.spread]
  return { zone, from: from ?? 0, until: until ?? 0, days, oddDays, beganAnew, middle, spread }
}

/**
 * What is usual for a series at any moment, and how far from it is as usual to whoever judges it so; both sides are
 * drawn, whichever is asked for.
 * @returns null where nothing is known, or nobody judges the metric so
 */
export function usualAt(page: UsualPage | null, metric: string): ((at: Millis) => UsualAtMoment | null) | null {
  const asked = page?.asked
  if (!page?.cells.length || !asked) return null
  const usual = usualOf(page)
  return (at) => {
    const expected = expectedOver(usual, at - asked.span / 2, at + asked.span / 2)
    return (
      expected && {
        middle: expected.middle,
        ...usualBand(metric as MetricName, expected, { ...asked, direction: 'either' }),
      }
    )
  }
}
