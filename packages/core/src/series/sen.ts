import type { Millis } from '../units'
import { quantile } from './summary'

/** How a series goes up or down, in its unit a millisecond. */
export interface Slope {
  middle: number
  /** Between these it lies with a confidence of 90 %. */
  low: number
  high: number
  /** −1 to 1: how much more often a later value lies above an earlier one than below (Kendall’s τ-a, 1938). */
  agreement: number
}

/** One stretch of a series: ascending times, a value for each. */
export interface Stretch {
  at: readonly Millis[]
  value: readonly number[]
}

/** The 95th percentile of the normal distribution: 5 % lie beyond on either side. */
const normal = 1.6448536269514722

/** Variance of Kendall’s S of one stretch, with groups of equal values: Gilbert, equation 16.4. */
function varianceOf(value: readonly number[]): number {
  const terms = (n: number) => n * (n - 1) * (2 * n + 5)
  const equal = new Map<number, number>()
  for (const each of value) equal.set(each, (equal.get(each) ?? 0) + 1)
  let sum = terms(value.length)
  for (const n of equal.values()) if (n > 1) sum -= terms(n)
  return sum / 18
}

/**
 * The median of the slopes between any two values, with its interval: Theil, “A rank-invariant method of linear and
 * polynomial regression analysis”, 1950; Sen, “Estimates of the regression coefficient based on Kendall’s tau”, 1968;
 * the interval by Gilbert, “Statistical Methods for Environmental Pollution Monitoring”, 1987, section 16.4.2. Up to
 * 29 % of the values may be anything. Of several stretches only values of the same one are compared, as of seasons:
 * Hirsch, Slack and Smith, “Techniques of trend analysis for monthly water quality data”, 1982.
 * @param stretches some hundred values at most: it takes time with the square of them
 * @param fewest so many pairs at least
 * @returns null where there are too few
 * @example slopeOf([{ at: [0, 1, 2, 3], value: [8, 6, 4, 2] }])!.middle // -2
 */
export function slopeOf(stretches: readonly Stretch[], fewest = 6): Slope | null {
  const pairs = stretches.reduce((sum, { at }) => sum + (at.length * (at.length - 1)) / 2, 0)
  if (pairs < fewest) return null
  const slopes = new Float64Array(pairs)
  let [i, sign, variance] = [0, 0, 0]
  for (const { at, value } of stretches) {
    for (let a = 0; a < at.length; a++)
      for (let b = a + 1; b < at.length; b++) {
        slopes[i++] = (value[b]! - value[a]!) / (at[b]! - at[a]!)
        sign += Math.sign(value[b]! - value[a]!)
      }
    variance += varianceOf(value)
  }
  slopes.sort()
  const reach = normal * Math.sqrt(variance)
  const lower = Math.max(0, Math.round((pairs - reach) / 2) - 1)
  const upper = Math.min(pairs - 1, Math.round((pairs + reach) / 2))
  return { middle: quantile(slopes, 0.5), low: slopes[lower]!, high: slopes[upper]!, agreement: sign / pairs }
}
