/**
 * Percentiles from counts in classes whose limits grow by a constant factor: C. Masson, J. E. Rim, H. K. Lee,
 * “DDSketch”, PVLDB 12(12), 2019. Two sketches merge to what one of all their values would have been.
 */
export interface Sketch {
  /** By class: a positive value x belongs to ⌈ln x / ln γ⌉, a negative one to the class of −x, under another map. */
  positive: Map<number, number>
  negative: Map<number, number>
  zeros: number
}

/** A percentile differs from the reading of that rank by one part in a hundred at most. */
export const sketchError = 0.01
const gamma = (1 + sketchError) / (1 - sketchError)
const inverseLog = 1 / Math.log(gamma)

export const emptySketch = (): Sketch => ({ positive: new Map(), negative: new Map(), zeros: 0 })

const classOf = (magnitude: number) => Math.ceil(Math.log(magnitude) * inverseLog)
/** The value that is at most `sketchError` away from every one of its class. */
const middleOf = (index: number) => (2 * gamma ** index) / (gamma + 1)

function addToSketch(sketch: Sketch, value: number): void {
  if (value === 0) sketch.zeros++
  else {
    const classes = value > 0 ? sketch.positive : sketch.negative
    const index = classOf(Math.abs(value))
    classes.set(index, (classes.get(index) ?? 0) + 1)
  }
}

/** So far from 1 lie the classes of values between 1e-9 and 1e17, of which there is room for all. */
const farthest = 2500

export function sketchOf(values: Float64Array): Sketch {
  const sketch = emptySketch()
  const counts = new Uint32Array(2 * farthest)
  let [first, last] = [counts.length, -1]
  for (let i = 0; i < values.length; i++) {
    const value = values[i]!
    const index = value > 0 ? classOf(value) + farthest : -1
    if (index >= 0 && index < counts.length) {
      counts[index]!++
      if (index < first) first = index
      if (index > last) last = index
    } else addToSketch(sketch, value)
  }
  for (let index = first; index <= last; index++)
    if (counts[index]! > 0)
      sketch.positive.set(index - farthest, (sketch.positive.get(index - farthest) ?? 0) + counts[index]!)
  return sketch
}

export function mergeSketch(into: Sketch, from: Sketch): void {
  into.zeros += from.zeros
  for (const side of ['positive', 'negative'] as const)
    for (const [index, count] of from[side]) into[side].set(index, (into[side].get(index) ?? 0) + count)
}

export function sketchCount({ positive, negative, zeros }: Sketch): number {
  let count = zeros
  for (const n of positive.values()) count += n
  for (const n of negative.values()) count += n
  return count
}

/**
 * The value of rank ⌊p · (n − 1)⌋ among n, counted from 0, to within `sketchError` of it.
 * @throws RangeError of nothing
 */
export function sketchQuantile(sketch: Sketch, p: number): number {
  return sketchRank(sketch, Math.floor(Math.min(1, Math.max(0, p)) * (sketchCount(sketch) - 1)))
}

/** The value of a rank, counted from 0, to within `sketchError` of it. @throws RangeError where there is none */
export function sketchRank(sketch: Sketch, rank: number): number {
  if (sketchCount(sketch) === 0) throw new RangeError('A percentile needs at least one value.')
  let below = 0
  for (const index of [...sketch.negative.keys()].sort((a, b) => b - a)) {
    below += sketch.negative.get(index)!
    if (below > rank) return -middleOf(index)
  }
  below += sketch.zeros
  if (below > rank) return 0
  let last = 0
  for (const index of [...sketch.positive.keys()].sort((a, b) => a - b)) {
    below += sketch.positive.get(index)!
    last = middleOf(index)
    if (below > rank) break
  }
  return last
}
