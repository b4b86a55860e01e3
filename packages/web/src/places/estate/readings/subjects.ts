import { metrics, programOfSeries, readingText, type MetricName } from '#core'

/** Charts of a device: series that are read together, in one unit. */
export const subjects: readonly { title: string; metrics: readonly MetricName[] }[] = [
  { title: 'CPU', metrics: ['cpu.busy', 'cpu.wait', 'cpu.steal'] },
  { title: 'Memory available', metrics: ['memory.available'] },
  { title: 'Disk free', metrics: ['disk.free'] },
  { title: 'Inodes free', metrics: ['disk.inodes.free'] },
  { title: 'Drive latency', metrics: ['io.latency'] },
  { title: 'Drive busy', metrics: ['io.busy'] },
  { title: 'Read and written', metrics: ['io.read', 'io.written'] },
  { title: 'Network', metrics: ['net.received', 'net.sent'] },
  { title: 'Link load', metrics: ['net.load'] },
  { title: 'Network errors, since the reading before', metrics: ['net.errors'] },
  { title: 'Load', metrics: ['load.5'] },
  { title: 'Paging', metrics: ['paging.in', 'paging.out'] },
  { title: 'Open files', metrics: ['files.open'] },
  { title: 'Temperature', metrics: ['temperature'] },
  { title: 'Processes', metrics: ['process.count'] },
  { title: 'CPU of processes, of a core', metrics: ['process.cpu', 'process.cpu.most'] },
  { title: 'Memory of processes', metrics: ['process.memory', 'process.memory.most'] },
  { title: 'Sessions', metrics: ['sessions.count'] },
  { title: 'Way of the slowest session', metrics: ['sessions.latency'] },
  { title: 'Files', metrics: ['file.count'] },
  { title: 'Size of files', metrics: ['file.size', 'file.largest'] },
  { title: 'Age of files', metrics: ['file.newest', 'file.oldest'] },
  { title: 'Lines with the words', metrics: ['file.lines'] },
  { title: 'Time in which others answer', metrics: ['reach.time'] },
  { title: 'Looks at others that failed', metrics: ['reach.failed'] },
  { title: 'Counters', metrics: ['counter.number'] },
  { title: 'Rates', metrics: ['counter.rate'] },
  { title: 'Sizes', metrics: ['counter.bytes'] },
  { title: 'Flows', metrics: ['counter.flow'] },
  { title: 'Delays', metrics: ['counter.delay'] },
  { title: 'Times', metrics: ['counter.time'] },
  { title: 'Shares', metrics: ['counter.share'] },
  { title: 'Certificates', metrics: ['certificate.left'] },
]

export interface Chart<S> {
  title: string
  series: S[]
}
/** Series by what is read together; what programs count, program by program. */
export function chartsOf<S extends Named>(all: readonly S[]): Chart<S>[] {
  return subjects.flatMap(({ title, metrics: of }): Chart<S>[] => {
    const series = all.filter(({ metric }) => of.includes(metric as MetricName))
    if (!of.some(isCounter)) return series.length ? [{ title, series }] : []
    const programs = new Map<string, S[]>()
    for (const each of series) {
      const program = programOfSeries(each.instance)
      programs.set(program, [...(programs.get(program) ?? []), each])
    }
    return [...programs].map(([program, own]) => ({ title: `${title} of ${program}`, series: own }))
  })
}

interface Named {
  metric: string
  instance: string
}
export const seriesColours = ['--ink', '--act', '--held', '--warning', '--notice', '--critical']
export const seriesText = (metric: string, value: number) => readingText(metrics[metric as MetricName].unit, value)
/** A series of a program's counters is called after both. */
const isCounter = (metric: string) => metric.startsWith('counter.')
export const seriesTitle = ({ metric, instance }: Named) =>
  isCounter(metric) ? instance : [metrics[metric as MetricName].title, instance].filter(Boolean).join(' ')

/** How an address names a series: `disk.free|/var`. */
export const nameInAddress = ({ metric, instance }: Named) => `${metric}|${instance}`
/** @returns null where it names none */
export function namedInAddress(text: unknown): Named | null {
  if (typeof text !== 'string') return null
  const at = text.indexOf('|')
  const metric = at < 0 ? text : text.slice(0, at)
  return Object.hasOwn(metrics, metric) ? { metric, instance: at < 0 ? '' : text.slice(at + 1) } : null
}
