import { day, type Millis } from '../units'
import { quantile } from './summary'

/** How something that is left of a whole goes down, or up. */
export interface Filling {
  /** Change of a day; below 0 it goes down. */
  perDay: number
  /** −1 to 1: how much more often a later value lies above an earlier one than below (Kendall’s τ-a, 1938). */
  agreement: number
  /** How long it lasts at this pace, from the last value on; null: it does not go down. */
  left: Millis | null
}

/** So many values at least: of fewer no pace is told. */
export const fewestValues = 4

/**
 * The pace of a series by the median of the slopes between any two of its values: Theil, “A rank-invariant method of
 * linear and polynomial regression analysis”, 1950; Sen, “Estimates of the regression coefficient based on Kendall’s
 * tau”, 1968. Up to 29 % of the values may be anything, such as a day of clearing up.
 * @param at ascending, some hundred at most: it takes time with the square of them
 * @returns null where there are too few
 */
export function fillingOf(at: ArrayLike<Millis>, value: ArrayLike<number>): Filling | null {
  const count = at.length
  if (count < fewestValues) return null
  const slopes = new Float64Array((count * (count - 1)) / 2)
  let [i, sign] = [0, 0]
  for (let a = 0; a < count; a++)
    for (let b = a + 1; b < count; b++) {
      slopes[i++] = (value[b]! - value[a]!) / (at[b]! - at[a]!)
      sign += Math.sign(value[b]! - value[a]!)
    }
  const slope = quantile(slopes.sort(), 0.5)
  const last = value[count - 1]!
  return { perDay: slope * day, agreement: sign / slopes.length, left: slope < 0 ? Math.max(0, last / -slope) : null }
}
