import type { BitReader, BitWriter } from './bits'

/**
 * Integers packed as the differences from what was to be expected, in Rice codes (R. F. Rice, “Some Practical Universal
 * Noiseless Coding Techniques”, JPL Publication 79-22, 1979): a quotient in ones, a zero, and `k` low bits, with a `k`
 * of its own for every 64. What lies far outside is written out, so that a spike costs itself and no more.
 */
const group = 64
const bitsOfK = 6
/** In place of a `k`: as expected throughout. */
const asExpected = 63
/** So many ones say that the difference follows, its length in bits first. */
const mostOnes = 20
const bitsOfLength = 6

/** The greatest magnitude that can be packed: what goes on from two such, doubled, is still an exact integer. */
export const largestPacked = 2 ** 48

const powers = Float64Array.from({ length: 54 }, (_, k) => 2 ** k)

function bitLength(value: number): number {
  return value < 0x80000000 ? 32 - Math.clz32(value) : 63 - Math.clz32(Math.floor(value / 0x80000000))
}

/**
 * What the next value is expected to be, by those before it: what it was *lately*, the newest counting most (a level
 * with noise); as it was *last*; or *on* as it went last (counters, and the times of reports themselves). Differences
 * are folded, small numbers for small ones of either sign: 0, −1, 1, −2 … are 0, 1, 2, 3 …
 *
 * The loops of the three stand beside each other, because a call for each value would cost more than all the rest.
 */
const lately = 0
const last = 1
const on = 2
const bitsOfExpectation = 2
const newest = 1 / 4

function differences(values: Float64Array, expectation: number): { folded: Float64Array; bits: number } {
  const folded = new Float64Array(values.length)
  let bits = 0
  let before = 0
  let expected = 0
  let level = 0
  for (let i = 0; i < values.length; i++) {
    const value = values[i]!
    const difference = value - expected
    const small = difference >= 0 ? 2 * difference : -2 * difference - 1
    folded[i] = small
    bits += bitLength(small)
    if (expectation === lately) {
      level = i > 0 ? level + (value - level) * newest : value
      expected = Math.floor(level + 0.5)
    } else {
      expected = expectation === on && i > 0 ? value + (value - before) : value
      before = value
    }
  }
  return { folded, bits }
}

/** Turns differences back into what they are the differences of. */
function restore(values: Float64Array, expectation: number): void {
  let before = 0
  let expected = 0
  let level = 0
  for (let i = 0; i < values.length; i++) {
    const small = values[i]!
    const half = Math.floor(small / 2)
    const value = expected + (small === 2 * half ? half : -half - 1)
    values[i] = value
    if (expectation === lately) {
      level = i > 0 ? level + (value - level) * newest : value
      expected = Math.floor(level + 0.5)
    } else {
      expected = expectation === on && i > 0 ? value + (value - before) : value
      before = value
    }
  }
}

function costWith(values: Float64Array, from: number, until: number, k: number): number {
  const share = 1 / powers[k]!
  let bits = 0
  for (let i = from; i < until; i++) {
    const quotient = Math.floor(values[i]! * share)
    bits += quotient < mostOnes ? quotient + 1 + k : mostOnes + bitsOfLength + bitLength(values[i]!)
  }
  return bits
}

/** Of a group the `k` that makes it shortest, sought below what its mean suggests: with spikes that says too much. */
function bestK(values: Float64Array, from: number, until: number): number {
  let sum = 0
  for (let i = from; i < until; i++) sum += values[i]!
  if (sum === 0) return asExpected
  let best = Math.max(0, bitLength(Math.floor(sum / (until - from))) - 1)
  let cost = costWith(values, from, until, best)
  while (best > 0) {
    const less = costWith(values, from, until, best - 1)
    if (less > cost) break
    best--
    cost = less
  }
  return best
}

/** How often all values can be halved: of blocks of a disk counted in smaller units the last bits say nothing. */
const mostHalvings = 15
const bitsOfHalvings = 4

function halvings(values: Float64Array): number {
  let bits = 1 << mostHalvings
  // An odd one settles it.
  for (let i = 0; i < values.length && (bits & 1) === 0; i++) bits |= values[i]! % (1 << mostHalvings)
  return 31 - Math.clz32(bits & -bits)
}

/** Written as a loop, as all that is done with each reading: `map` costs several times as much. */
function scaled(values: Float64Array, factor: number): Float64Array {
  const result = new Float64Array(values.length)
  for (let i = 0; i < values.length; i++) result[i] = values[i]! * factor
  return result
}

/** A few hundred values, from where the day is under way, tell which expectation fits the series. */
const enough = 256

function bestExpectation(values: Float64Array): number {
  const start = Math.max(0, Math.floor((values.length - enough) / 2))
  const some = values.subarray(start, start + enough)
  let best = lately
  let fewest = Infinity
  for (const kind of [last, lately, on]) {
    const { bits } = differences(some, kind)
    if (bits < fewest) {
      fewest = bits
      best = kind
    }
  }
  return best
}

/**
 * Writes integers, as short as the expectation that fits them best makes them.
 * @throws RangeError where one is no integer, or its magnitude is above `largestPacked`
 */
export function writeColumn(bits: BitWriter, values: Float64Array): void {
  for (let i = 0; i < values.length; i++) {
    const value = values[i]!
    // What is no number is not equal to itself.
    if (!(value >= -largestPacked && value <= largestPacked && Math.floor(value) === value))
      throw new RangeError(`${value} cannot be packed: it is no integer of at most 2^48.`)
  }
  const halved = halvings(values)
  bits.write(halved, bitsOfHalvings)
  const units = halved > 0 ? scaled(values, 1 / powers[halved]!) : values
  const kind = bestExpectation(units)
  bits.write(kind, bitsOfExpectation)
  const { folded } = differences(units, kind)
  for (let from = 0; from < folded.length; from += group) {
    const until = Math.min(folded.length, from + group)
    const k = bestK(folded, from, until)
    bits.write(k, bitsOfK)
    if (k === asExpected) continue
    writeGroup(bits, folded, from, until, k)
  }
}

const codes = new Int32Array(group)
const sizes = new Uint8Array(group)

function writeGroup(bits: BitWriter, folded: Float64Array, from: number, until: number, k: number): void {
  const power = powers[k]!
  const share = 1 / power
  let count = 0
  for (let i = from; i < until; i++) {
    const value = folded[i]!
    const quotient = Math.floor(value * share)
    const size = quotient + 1 + k
    if (size <= 24 && quotient < mostOnes) {
      codes[count] = ((1 << quotient) - 1) | ((value - quotient * power) << (quotient + 1))
      sizes[count++] = size
      continue
    }
    bits.writeAll(codes, sizes, count)
    count = 0
    if (quotient < mostOnes) {
      bits.write((1 << quotient) - 1, quotient + 1)
      bits.write(value - quotient * power, k)
    } else {
      bits.write((1 << mostOnes) - 1, mostOnes)
      const length = bitLength(value)
      bits.write(length, bitsOfLength)
      bits.write(value, length)
    }
  }
  bits.writeAll(codes, sizes, count)
}

/** @throws RangeError where the bits are not what `writeColumn` writes */
export function readColumn(bits: BitReader, count: number): Float64Array {
  const doubled = powers[bits.read(bitsOfHalvings)]!
  const expectation = bits.read(bitsOfExpectation)
  if (expectation > on) throw new RangeError('Packed readings are damaged: there is no such expectation.')
  const values = new Float64Array(count)
  for (let from = 0; from < count; from += group) {
    const until = Math.min(count, from + group)
    const k = bits.read(bitsOfK)
    if (k === asExpected) continue
    for (let i = from; i < until; i++) {
      const quotient = bits.readOnes(mostOnes)
      if (quotient === mostOnes) values[i] = bits.read(bits.read(bitsOfLength))
      else values[i] = quotient * powers[k]! + (k > 0 ? bits.read(k) : 0)
    }
  }
  restore(values, expectation)
  return doubled > 1 ? scaled(values, doubled) : values
}
