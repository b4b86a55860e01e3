import { ageText, bytesText, percentText } from '../text'
import { second } from '../units'

export type Unit = 'ratio' | 'bytes' | 'bytes/s' | 'count' | 'seconds' | 'per core'

export interface Metric {
  title: string
  unit: Unit
  /** What the instance names, or null where a device has only one. */
  instance: string | null
  min: number
  max: number
}

const max = Number.MAX_SAFE_INTEGER

/** Every metric that a report may carry. What is not listed here is refused, so that a typing error is noticed. */
export const metrics = {
  'cpu.busy': { title: 'CPU busy', unit: 'ratio', instance: null, min: 0, max: 1 },
  'memory.size': { title: 'Memory', unit: 'bytes', instance: null, min: 0, max },
  'memory.available': { title: 'Memory available', unit: 'bytes', instance: null, min: 0, max },
  'paging.in': { title: 'Paged in', unit: 'bytes/s', instance: null, min: 0, max },
  'paging.out': { title: 'Paged out', unit: 'bytes/s', instance: null, min: 0, max },
  'load.5': { title: 'Load over five minutes per core', unit: 'per core', instance: null, min: 0, max: 1e6 },
  'disk.size': { title: 'Disk size', unit: 'bytes', instance: 'mount point', min: 0, max },
  'disk.free': { title: 'Disk free', unit: 'bytes', instance: 'mount point', min: 0, max },
  'net.received': { title: 'Received', unit: 'bytes/s', instance: 'interface', min: 0, max },
  'net.sent': { title: 'Sent', unit: 'bytes/s', instance: 'interface', min: 0, max },
  'certificate.left': { title: 'Certificate valid for', unit: 'seconds', instance: 'port', min: -max, max },
  uptime: { title: 'Up for', unit: 'seconds', instance: null, min: 0, max },
} as const satisfies Record<string, Metric>

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
    default:
      return String(Math.round(value * 100) / 100)
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
