import { allSteps, allValues, isMetric, type MetricName } from '../metrics'
import type { Samples } from '../samples'
import { BitReader, BitWriter } from './bits'
import { readColumn, writeColumn } from './column'

/** Leads everything that is packed, so that what is written another way some day can be told from it. */
const format = 1
const bitsOfFormat = 8
const bitsOfCount = 24

function begin(): BitWriter {
  const bits = new BitWriter()
  bits.write(format, bitsOfFormat)
  return bits
}

/** @throws RangeError where it is not of this format */
export function unpacking(bytes: Uint8Array): BitReader {
  const bits = new BitReader(bytes)
  const found = bits.read(bitsOfFormat)
  if (found !== format)
    throw new RangeError(`Packed readings have the format ${found}, and this version reads ${format}.`)
  return bits
}

export function packIntegers(...columns: readonly ArrayLike<number>[]): Uint8Array {
  const bits = begin()
  for (const column of columns) {
    bits.write(column.length, bitsOfCount)
    // Arrays of one kind only: loops over several are many times slower.
    writeColumn(bits, column instanceof Float64Array ? column : new Float64Array(column))
  }
  return bits.finish()
}

/** @returns the columns, as many as are asked for, in the order in which they were given */
export function unpackIntegers(bytes: Uint8Array, columns: number): Float64Array[] {
  const bits = unpacking(bytes)
  return Array.from({ length: columns }, () => readColumn(bits, bits.read(bitsOfCount)))
}

/**
 * The readings of one series on one day, packed beside the times of all reports of that day, which all series of the
 * device share. Values are kept to the resolution that their metric declares.
 * @param times of all reports; those of the series are among them
 */
export function packSeries(metric: MetricName, times: Float64Array, { at, value }: Samples): Uint8Array {
  const bits = begin()
  const isInAll = at.length === times.length
  bits.write(isInAll ? 1 : 0, 1)
  if (!isInAll) {
    const runs = runsOf(times, at)
    bits.write(runs.length, bitsOfCount)
    writeColumn(bits, runs)
  }
  writeColumn(bits, allSteps(metric, value))
  return bits.finish()
}

/** @throws RangeError where the bytes are damaged, or belong to other times */
export function unpackSeries(metric: string, times: Float64Array, bytes: Uint8Array): Samples {
  if (!isMetric(metric)) throw new RangeError(`There is no metric “${metric}”.`)
  const bits = unpacking(bytes)
  const at = bits.read(1) === 1 ? times : timesIn(times, readColumn(bits, bits.read(bitsOfCount)))
  return { at, value: allValues(metric, readColumn(bits, at.length)) }
}

/** How many reports without it, with it, without it … follow each other. */
function runsOf(times: Float64Array, at: Float64Array): Float64Array {
  const runs = [0]
  let isWith = false
  let next = 0
  for (const time of times) {
    const has = at[next] === time
    if (has) next++
    if (has !== isWith) {
      runs.push(0)
      isWith = has
    }
    runs[runs.length - 1]!++
  }
  if (next !== at.length) throw new RangeError('A reading was made at a time at which there was no report.')
  return Float64Array.from(runs)
}

function timesIn(times: Float64Array, runs: Float64Array): Float64Array {
  let length = 0
  for (let i = 1; i < runs.length; i += 2) length += runs[i]!
  const at = new Float64Array(length)
  let from = 0
  let filled = 0
  for (let i = 0; i < runs.length; i++) {
    const run = runs[i]!
    if (from + run > times.length) throw new RangeError('Packed readings belong to other times: they are damaged.')
    if (i % 2 === 1) {
      at.set(times.subarray(from, from + run), filled)
      filled += run
    }
    from += run
  }
  return at
}
