import { day, firstNotBefore, isMetric, samplesBetween, type DeviceId, type Millis } from '#core'
import { copyOut, rows, type Db } from '../../db'
import { dayKey, dayOf, type DeviceDay } from './days'
import { seriesKey, type SeriesName } from './names'

/** Part of what a device reported. */
export interface ReportSpan {
  deviceId: DeviceId
  from: Millis
  /** Not with it. */
  until: Millis
}

/** What each layout names. */
type Layouts = ReadonlyMap<number, readonly (SeriesName | null)[]>

async function layoutsOf(db: Db, ids: readonly number[]): Promise<Layouts> {
  const found = await rows<{ id: number; series: [string, string][] }>(
    db,
    'select id, series from layout where id = any($1)',
    [ids],
  )
  return new Map(
    found.map(({ id, series }) => [
      id,
      series.map(([metric, instance]) => (isMetric(metric) ? { metric, instance } : null)),
    ]),
  )
}

/** Where the elements of an array in one dimension begin: after dimensions, flags, type, length and lower bound. */
const firstElement = 20
/** Of a float8 in an array: its length in four bytes, and itself. */
const lengthSize = 4
const elementSize = 12

/** Bytes that lie in what was copied. */
type Part = DataView

function numbersIn(bytes: Part): Float64Array {
  const numbers = new Float64Array((bytes.byteLength - firstElement) / elementSize)
  for (let i = 0, offset = firstElement + lengthSize; i < numbers.length; i++, offset += elementSize)
    numbers[i] = bytes.getFloat64(offset)
  return numbers
}

/** Reports of one device and layout, in order. */
interface Block {
  id: DeviceId
  layout: number
  at: Part
  seq: Part
  /** The arrays of all, one after the other. */
  value: Part
}

interface Column {
  at: Float64Array
  /** Of two reports of one millisecond the later one counts. */
  seq: Float64Array
  value: Float64Array
}

function isAscending(times: Float64Array): boolean {
  for (let i = 1; i < times.length; i++) if (times[i]! <= times[i - 1]!) return false
  return true
}

/** All of both in order of time, each time once. */
function merged(a: Column, b: Column): Column {
  if (a.at.length === 0 && isAscending(b.at)) return b
  const length = a.at.length + b.at.length
  const all: Column = { at: new Float64Array(length), seq: new Float64Array(length), value: new Float64Array(length) }
  let [i, j, n] = [0, 0, 0]
  while (i < a.at.length || j < b.at.length) {
    const isFirst =
      j >= b.at.length || (i < a.at.length && (a.at[i]! < b.at[j]! || (a.at[i] === b.at[j] && a.seq[i]! < b.seq[j]!)))
    const [from, k] = isFirst ? [a, i++] : [b, j++]
    if (n > 0 && all.at[n - 1] === from.at[k]) n--
    all.at[n] = from.at[k]!
    all.seq[n] = from.seq[k]!
    all.value[n++] = from.value[k]!
  }
  return { at: all.at.subarray(0, n), seq: all.seq.subarray(0, n), value: all.value.subarray(0, n) }
}

const none: Column = { at: new Float64Array(0), seq: new Float64Array(0), value: new Float64Array(0) }

/** The columns of a block: of its reports as such, and of each series. */
function columnsOf(
  { id, layout, at: made, seq: numbers, value }: Block,
  names: readonly unknown[],
): { times: Column; columns: Column[] } {
  const at = numbersIn(made)
  const seq = numbersIn(numbers)
  const stride = value.byteLength / at.length
  if (stride < firstElement + names.length * elementSize && names.length > 0)
    throw new RangeError(`A report of device ${id} has fewer values than its layout ${layout} names.`)
  const columns = names.map(() => ({ at, seq, value: new Float64Array(at.length) }))
  for (let report = 0; report < at.length; report++) {
    let offset = report * stride + firstElement + lengthSize
    for (const column of columns) {
      column.value[report] = value.getFloat64(offset)
      offset += elementSize
    }
  }
  return { times: { at, seq, value: at }, columns }
}

const literal = (values: readonly (number | string)[]) => `'{${values.join()}}'`

/**
 * Reports as they came, by `dayKey`. In binary: else most of the work would be to write numbers out and to read them
 * again. By the primary key (device, time) one range for each span. Spans do not overlap.
 */
export async function readReports(db: Db, spans: readonly ReportSpan[]): Promise<Map<string, DeviceDay>> {
  if (!spans.length) return new Map()
  const isoOf = (at: Millis) => `"${new Date(at).toISOString()}"`
  const copied = await copyOut(
    db,
    // Sorted once; the order of what is gathered is that in which it comes.
    `select device_id, layout_id, array_send(array_agg(at)), array_send(array_agg(seq)), string_agg(value, '')
     from (
       select r.device_id, r.layout_id, floor(extract(epoch from r.at) * 1000)::float8 as at, r.seq::float8 as seq,
         array_send(r.value) as value
       from unnest(${literal(spans.map(({ deviceId }) => deviceId))}::int[],
         ${literal(spans.map(({ from }) => isoOf(from)))}::timestamptz[],
         ${literal(spans.map(({ until }) => isoOf(until)))}::timestamptz[]) w (id, from_at, until_at)
       join report r on r.device_id = w.id and r.at >= w.from_at and r.at < w.until_at
       order by r.device_id, r.layout_id, r.at, r.seq
     ) r
     group by device_id, layout_id`,
  )
  const blocks = copied.map(([id, layout, at, seq, value]): Block => {
    return { id: id!.getInt32(0), layout: layout!.getInt32(0), at: at!, seq: seq!, value: value! }
  })
  const layouts = await layoutsOf(db, [...new Set(blocks.map(({ layout }) => layout))])
  const devices = new Map<DeviceId, { times: Column; series: Map<string, SeriesName & { column: Column }> }>()
  for (const block of blocks) {
    const into = devices.get(block.id) ?? { times: none, series: new Map<string, SeriesName & { column: Column }>() }
    devices.set(block.id, into)
    const names = layouts.get(block.layout) ?? []
    const { times, columns } = columnsOf(block, names)
    into.times = merged(into.times, times)
    names.forEach((name, i) => {
      if (!name) return
      const key = seriesKey(name)
      into.series.set(key, { ...name, column: merged(into.series.get(key)?.column ?? none, columns[i]!) })
    })
  }
  return inDays(devices)
}

function inDays(
  devices: ReadonlyMap<DeviceId, { times: Column; series: Map<string, SeriesName & { column: Column }> }>,
): Map<string, DeviceDay> {
  const days = new Map<string, DeviceDay>()
  for (const [deviceId, { times, series }] of devices)
    for (let i = 0; i < times.at.length;) {
      const index = dayOf(times.at[i]!)
      const [from, until] = [index * day, (index + 1) * day]
      const end = firstNotBefore(times.at, until)
      const found: DeviceDay = { deviceId, day: index, times: times.at.slice(i, end), series: new Map() }
      for (const [key, { metric, instance, column }] of series) {
        const samples = samplesBetween(column, from, until)
        if (samples.at.length > 0) found.series.set(key, { metric, instance, samples })
      }
      days.set(dayKey(found), found)
      i = end
    }
  return days
}
