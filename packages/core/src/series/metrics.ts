import { ageText, bytesText, parseBytes, parseDuration, percentText } from '../text'
import { second } from '../units'

export type Unit = 'ratio' | 'bytes' | 'bytes/s' | 'count' | 'per s' | 'seconds' | 'ms' | '°C' | 'per core'

export interface Metric {
  title: string
  unit: Unit
  /** What the instance names, or null where a device has only one. */
  instance: string | null
  min: number
  max: number
  /** Readings are kept as whole multiples of it. Below 1 it is one part of a whole number, as 1/1000. */
  resolution: number
  /** It only ever rises, until it begins anew at nothing: what counts is by how much. */
  counter?: true
  /** It is what is left of something: less of it is worse. */
  scarce?: true
}

/** Far beyond what there is, and still exact when it is packed. */
const bytes = { unit: 'bytes', min: 0, max: 1e17 } as const
const perSecond = { unit: 'bytes/s', min: 0, max: 1e13 } as const
const share = { unit: 'ratio', min: 0, max: 1, resolution: 1 / 1000 } as const
/** Since it was modified; one that is in the future is new. */
const ages = { unit: 'seconds', instance: 'path', min: 0, max: 1e10, resolution: 1 } as const
/** Of one core, so it may be more than all of it. */
const cores = { unit: 'ratio', min: 0, max: 1e5, resolution: 1 / 1000 } as const
const seconds = { unit: 'seconds', instance: null, min: 0, max: 1e10, resolution: 1 } as const
const kibibyte = 1024
/** What a program of the machine counts, by the names of the program and of the counter. */
const counted = { instance: 'counter' } as const

/** Every metric that a report may carry. What is not listed here is refused, so that a typing error is noticed. */
export const metrics = {
  'cpu.busy': { title: 'CPU busy', ...share, instance: null },
  'cpu.wait': { title: 'CPU waiting for disks', ...share, instance: null },
  'cpu.steal': { title: 'CPU taken by the host', ...share, instance: null },
  'memory.size': { title: 'Memory', ...bytes, instance: null, resolution: kibibyte },
  'memory.available': { title: 'Memory available', ...bytes, instance: null, resolution: 64 * kibibyte, scarce: true },
  'paging.in': { title: 'Paged in', ...perSecond, instance: null, resolution: kibibyte },
  'paging.out': { title: 'Paged out', ...perSecond, instance: null, resolution: kibibyte },
  'load.5': {
    title: 'Load over five minutes per core',
    unit: 'per core',
    instance: null,
    min: 0,
    max: 1e6,
    resolution: 1 / 100,
  },
  'disk.size': { title: 'Disk size', ...bytes, instance: 'mount point', resolution: kibibyte },
  'disk.free': { title: 'Disk free', ...bytes, instance: 'mount point', resolution: kibibyte, scarce: true },
  'disk.inodes.free': { title: 'Inodes free', ...share, instance: 'mount point', scarce: true },
  'io.busy': { title: 'Drive busy', ...share, instance: 'drive' },
  'io.latency': { title: 'Drive latency', unit: 'ms', instance: 'drive', min: 0, max: 1e9, resolution: 1 / 10 },
  'io.read': { title: 'Read', ...perSecond, instance: 'drive', resolution: kibibyte },
  'io.written': { title: 'Written', ...perSecond, instance: 'drive', resolution: kibibyte },
  'files.open': { title: 'Open files', unit: 'count', instance: null, min: 0, max: 1e13, resolution: 1 },
  'sessions.count': { title: 'Sessions', unit: 'count', instance: null, min: 0, max: 1e6, resolution: 1 },
  'sessions.latency': {
    title: 'Way of the slowest session',
    unit: 'ms',
    instance: null,
    min: 0,
    max: 1e6,
    resolution: 1 / 10,
  },
  temperature: { title: 'Temperature', unit: '°C', instance: 'sensor', min: -100, max: 1000, resolution: 1 / 2 },
  'net.received': { title: 'Received', ...perSecond, instance: 'interface', resolution: 128 },
  'net.sent': { title: 'Sent', ...perSecond, instance: 'interface', resolution: 128 },
  'net.load': { title: 'Link load', ...share, instance: 'interface' },
  'net.errors': {
    title: 'Errors and drops',
    unit: 'count',
    instance: 'interface',
    min: 0,
    max: 1e13,
    resolution: 1,
    counter: true,
  },
  'certificate.left': { title: 'Certificate valid for', ...seconds, instance: 'port', min: -1e10, scarce: true },
  'process.count': { title: 'Processes', unit: 'count', instance: 'process', min: 0, max: 1e7, resolution: 1 },
  'process.cpu': { title: 'CPU of processes, of a core', ...cores, instance: 'process' },
  'process.cpu.most': { title: 'CPU of the busiest process, of a core', ...cores, instance: 'process' },
  'process.memory': { title: 'Memory of processes', ...bytes, instance: 'process', resolution: 64 * kibibyte },
  'process.memory.most': {
    title: 'Memory of the largest process',
    ...bytes,
    instance: 'process',
    resolution: 64 * kibibyte,
  },
  'file.count': { title: 'Files', unit: 'count', instance: 'path', min: 0, max: 1e9, resolution: 1 },
  'file.size': { title: 'Size of files', ...bytes, instance: 'path', resolution: kibibyte },
  'file.largest': { title: 'Size of the largest file', ...bytes, instance: 'path', resolution: kibibyte },
  'file.newest': { title: 'Age of the newest file', ...ages },
  'file.oldest': { title: 'Age of the oldest file', ...ages },
  'file.lines': { title: 'Lines with the words', unit: 'count', instance: 'path', min: 0, max: 1e12, resolution: 1 },
  'reach.time': { title: 'Time to answer', unit: 'ms', instance: 'look', min: 0, max: 1e7, resolution: 1 / 10 },
  'reach.failed': { title: 'Looks that failed', ...share, instance: 'look' },
  'counter.number': {
    title: 'Counter of a program',
    ...counted,
    unit: 'count',
    min: -1e12,
    max: 1e12,
    resolution: 1 / 100,
  },
  'counter.rate': { title: 'Rate of a counter', ...counted, unit: 'per s', min: 0, max: 1e11, resolution: 1 / 1000 },
  'counter.bytes': { title: 'Size of a counter', ...bytes, ...counted, resolution: kibibyte },
  'counter.flow': { title: 'Flow of a counter', ...perSecond, ...counted, resolution: 128 },
  'counter.delay': { title: 'Delay of a counter', ...counted, unit: 'ms', min: 0, max: 1e9, resolution: 1 / 1000 },
  'counter.time': { title: 'Time of a counter', ...seconds, ...counted, min: -1e10 },
  'counter.share': { title: 'Share of a counter', ...cores, ...counted },
  uptime: { title: 'Up for', ...seconds },
} as const satisfies Record<string, Metric>

/** How many steps of its resolution a reading is. */
export function stepsOf(metric: MetricName, value: number): number {
  const { resolution } = metrics[metric]
  // Without a zero below zero, which is not the same to everybody who compares.
  return Math.round(resolution < 1 ? value * Math.round(1 / resolution) : value / resolution) + 0
}

/** A number of steps as a reading: `valueOf(1 / 1000, 23)` is 0.023 to the last bit. */
export function valueOf(resolution: number, steps: number): number {
  return resolution < 1 ? steps / Math.round(1 / resolution) : steps * resolution
}

/** Readings of a series in steps of its resolution: what is packed and summed up. */
export function allSteps(metric: MetricName, values: Float64Array): Float64Array {
  const { resolution } = metrics[metric]
  const parts = resolution < 1 ? Math.round(1 / resolution) : 1
  const step = resolution < 1 ? 1 : resolution
  const steps = new Float64Array(values.length)
  for (let i = 0; i < values.length; i++) steps[i] = Math.round((values[i]! * parts) / step) + 0
  return steps
}

/** The other way round. */
export function allValues(metric: MetricName, steps: Float64Array): Float64Array {
  const { resolution } = metrics[metric]
  const parts = resolution < 1 ? Math.round(1 / resolution) : 1
  const step = resolution < 1 ? 1 : resolution
  const values = new Float64Array(steps.length)
  for (let i = 0; i < steps.length; i++) values[i] = (steps[i]! * step) / parts
  return values
}

/** A reading as it is evaluated and kept: to the resolution of its metric. */
export function rounded(metric: MetricName, value: number): number {
  return valueOf(metrics[metric].resolution, stepsOf(metric, value))
}

export type MetricName = keyof typeof metrics

export function isMetric(name: string): name is MetricName {
  return Object.hasOwn(metrics, name)
}

/** A value of a unit, as a person reads it: `readingText('bytes/s', 2e9)` is *2 GB/s*. */
export function readingText(unit: Unit, value: number): string {
  switch (unit) {
    case 'ratio':
      return percentText(value)
    case 'bytes':
      return bytesText(value)
    case 'bytes/s':
      return `${bytesText(value)}/s`
    case 'seconds':
      return `${value < 0 ? '−' : ''}${ageText(Math.abs(value) * second)}`
    case 'ms':
    case '°C':
      return `${Math.round(value * 10) / 10} ${unit}`
    case 'per s':
      return `${Math.round(value * 100) / 100} a second`
    default:
      return String(Math.round(value * 100) / 100)
  }
}

const plainNumber = /^\d+(?:\.\d+)?$/
/**
 * A value of a unit as somebody types it, in the words of `readingText`; null: it is none.
 * @example parseReading('ratio', '80 %') // 0.8
 * @example parseReading('bytes/s', '2 MB/s') // 2000000
 */
export function parseReading(unit: Unit, text: string): number | null {
  const typed = text.trim()
  switch (unit) {
    case 'ratio': {
      const share = typed.replace(/\s*%$/, '')
      return plainNumber.test(share) ? Number(share) / 100 : null
    }
    case 'bytes':
      return parseBytes(typed)
    case 'bytes/s':
      return parseBytes(typed.replace(/\s*\/\s*s$/, ''))
    case 'seconds': {
      const length = parseDuration(typed)
      return length === null ? null : length / second
    }
    case 'ms':
    case '°C': {
      const plain = typed.replace(/\s*(ms|°?C)$/, '')
      return plainNumber.test(plain) ? Number(plain) : null
    }
    case 'per s': {
      const plain = typed.replace(/\s*(?:a second|\/\s*s)$/, '')
      return plainNumber.test(plain) ? Number(plain) : null
    }
    default:
      return plainNumber.test(typed) ? Number(typed) : null
  }
}

/** One measured value: metric, instance ('' where the metric has none), value in the metric's unit. */
export type Reading = readonly [metric: MetricName, instance: string, value: number]

/** Why a reading cannot be kept, or null. */
export function readingFault(metric: string, instance: string, value: unknown): string | null {
  if (!isMetric(metric)) return `There is no metric “${metric}”. Update the server, or correct the collector.`
  const spec: Metric = metrics[metric]
  if (spec.instance === null && instance !== '')
    return `“${metric}” takes no instance, but one was given: “${instance}”.`
  if (spec.instance !== null && instance === '') return `“${metric}” needs an instance (${spec.instance}).`
  if (typeof value !== 'number' || !Number.isFinite(value)) return `The value of “${metric}” is not a finite number.`
  if (value < spec.min || value > spec.max) return `The value of “${metric}” lies outside ${spec.min} to ${spec.max}.`
  return null
}
