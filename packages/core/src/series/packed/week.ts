import { day, hour } from '../../units'
import { addHour, noHours, type HourSums } from '../hours'
import { emptySketch, mergeSketch, type Sketch } from '../sketch'
import { packIntegers, unpackIntegers } from './day'

export const daysOfWeek = 7
const hoursOfWeek = (daysOfWeek * day) / hour

/** What became of a series in a week that is counted from 1970: its hours, and of each day (in UTC) a sketch. */
export interface Week {
  hours: HourSums
  /** By the days since 1970. */
  days: Map<number, Sketch>
}

/** The classes of a side in order; mostly they are. */
function inOrder(side: ReadonlyMap<number, number>): number[] {
  const classes = [...side.keys()]
  for (let i = 1; i < classes.length; i++) if (classes[i]! < classes[i - 1]!) return classes.sort((a, b) => a - b)
  return classes
}

/** @param week since 1970 */
export function packWeek(week: number, { hours, days }: Week): Uint8Array {
  const first = week * hoursOfWeek
  const count = hours.hour.length
  const [offset, spread, above] = [new Float64Array(count), new Float64Array(count), new Float64Array(count)]
  for (let i = 0; i < count; i++) {
    offset[i] = hours.hour[i]! - first
    spread[i] = hours.max[i]! - hours.min[i]!
    above[i] = hours.sum[i]! - hours.count[i]! * hours.min[i]!
  }
  const dayList = [...days.keys()].sort((a, b) => a - b)
  const zeros: number[] = []
  const lengths: number[] = []
  const classes: number[] = []
  const counts: number[] = []
  for (const index of dayList) {
    const sketch = days.get(index)!
    zeros.push(sketch.zeros)
    for (const side of [sketch.positive, sketch.negative]) {
      const found = inOrder(side)
      lengths.push(found.length)
      for (const each of found) {
        classes.push(each)
        counts.push(side.get(each)!)
      }
    }
  }
  const dayOffset = dayList.map((index) => index - week * daysOfWeek)
  return packIntegers(offset, hours.count, hours.min, spread, above, dayOffset, zeros, lengths, classes, counts)
}

/** @throws RangeError where the bytes are damaged */
export function unpackWeek(week: number, bytes: Uint8Array): Week {
  const [offset, count, min, spread, above, dayOffset, zeros, lengths, classes, counts] = unpackIntegers(bytes, 10) as [
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
  ]
  const hours = noHours()
  for (let i = 0; i < offset.length; i++) {
    hours.hour.push(week * hoursOfWeek + offset[i]!)
    hours.count.push(count[i]!)
    hours.min.push(min[i]!)
    hours.max.push(min[i]! + spread[i]!)
    hours.sum.push(count[i]! * min[i]! + above[i]!)
  }
  let next = 0
  const side = (length: number) => {
    const found = new Map<number, number>()
    for (const end = next + length; next < end; next++) found.set(classes[next]!, counts[next]!)
    return found
  }
  const days: Week['days'] = new Map()
  for (let i = 0; i < dayOffset.length; i++) {
    const positive = side(lengths[2 * i]!)
    days.set(week * daysOfWeek + dayOffset[i]!, { positive, negative: side(lengths[2 * i + 1]!), zeros: zeros[i]! })
  }
  return { hours, days }
}

/** What became of two sources that have not the same readings. */
export function mergeWeeks(a: Week, b: Week): Week {
  const hours = noHours()
  let [i, j] = [0, 0]
  while (i < a.hours.hour.length || j < b.hours.hour.length) {
    const [first, second] = [a.hours.hour[i] ?? Infinity, b.hours.hour[j] ?? Infinity]
    if (first < second) addHour(hours, a.hours, i++)
    else if (second < first) addHour(hours, b.hours, j++)
    else {
      hours.hour.push(first)
      hours.count.push(a.hours.count[i]! + b.hours.count[j]!)
      hours.min.push(Math.min(a.hours.min[i]!, b.hours.min[j]!))
      hours.max.push(Math.max(a.hours.max[i]!, b.hours.max[j]!))
      hours.sum.push(a.hours.sum[i++]! + b.hours.sum[j++]!)
    }
  }
  const days = new Map([...a.days.keys(), ...b.days.keys()].map((index) => [index, emptySketch()]))
  for (const each of [a, b]) for (const [index, sketch] of each.days) mergeSketch(days.get(index)!, sketch)
  return { hours, days }
}
