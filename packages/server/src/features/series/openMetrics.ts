import { metrics, type Metric, type Millis, type Unit } from '#core'

/** What a program reads: one family of samples, as OpenMetrics 1.0 calls it. */
export interface Family {
  name: string
  help: string
  /** A suffix of the name, where it has one. */
  unit?: string
  type: 'gauge' | 'counter'
  samples: { labels: readonly (readonly [name: string, value: string])[]; value: number; at?: Millis }[]
}

export const openMetricsType = 'application/openmetrics-text; version=1.0.0; charset=utf-8'

/** Text between quotes, or of a description: OpenMetrics 1.0, “Overall Structure”, escaped-string. */
const escaped = (text: string) => text.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\n/g, '\\n')

function sampleLine(name: string, { labels, value, at }: Family['samples'][number]): string {
  const set = labels.map(([label, text]) => `${label}="${escaped(text)}"`).join(',')
  // Times are in seconds.
  return `${name}${set ? `{${set}}` : ''} ${value}${at === undefined ? '' : ` ${at / 1000}`}`
}

/** @returns the exposition, to its end mark; families without samples are left out */
export function expositionOf(families: readonly Family[]): string {
  const lines = families.flatMap(({ name, help, unit, type, samples }) =>
    samples.length
      ? [
          `# TYPE ${name} ${type}`,
          ...(unit ? [`# UNIT ${name} ${unit}`] : []),
          `# HELP ${name} ${escaped(help)}`,
          ...samples.map((sample) => sampleLine(type === 'counter' ? `${name}_total` : name, sample)),
        ]
      : [],
  )
  return [...lines, '# EOF', ''].join('\n')
}

const units: Record<Unit, string> = {
  ratio: 'ratio',
  bytes: 'bytes',
  'bytes/s': 'bytes_per_second',
  seconds: 'seconds',
  count: '',
  'per s': 'per_second',
  ms: 'milliseconds',
  '°C': 'celsius',
  'per core': '',
}

/** An empty family for a metric: `disk.free` is `custode_disk_free_bytes`, and names its instances `mount`. */
export function familyOf(metric: string): { family: Family; instance: string | null } {
  const spec: Metric = metrics[metric as keyof typeof metrics]
  const unit = units[spec.unit]
  const name = `custode_${metric.replaceAll('.', '_')}${unit && `_${unit}`}`
  return {
    family: {
      name,
      help: spec.title,
      type: spec.counter ? 'counter' : 'gauge',
      samples: [],
      ...(unit ? { unit } : {}),
    },
    instance: spec.instance && spec.instance.split(' ')[0]!,
  }
}
