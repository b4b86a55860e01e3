import { allTimes, noSamples, timesOfBoth } from '../../series'
import { bytesText, chosen, percentText } from '../../text'
import { gigabyte, minute } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter, Values } from '../parameter'
import { sayer, sentence, type SentencePart } from '../sentence'
import type { Severity } from '../../severity'

const share = { type: 'percent', min: 0, max: 1, optional: true } as const
const size = { type: 'bytes', min: 0, max: 1e18, optional: true } as const

const parameters: readonly Parameter[] = [
  {
    name: 'disks',
    type: 'patterns',
    label: 'Disks',
    default: ['*'],
    explains: 'Mount points or drive letters, with * for any run of characters.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Disks left out',
    default: [],
    adds: true,
    explains: 'These stay out even when the first list names them.',
  },
  {
    name: 'media',
    type: 'choice',
    label: 'Media',
    choices: ['fixed', 'fixed or removable'],
    default: 'fixed',
    explains: 'Removable disks come and go, so they stay out unless wanted.',
  },
  {
    ...share,
    name: 'warning.percent',
    label: 'Warning below',
    default: 0.1,
    explains: 'Free space as a share. 10 % is common practice, no source.',
  },
  {
    ...size,
    name: 'warning.bytes',
    label: 'Warning and below',
    default: 20 * gigabyte,
    explains:
      'Percentage alone raises false alarms on large disks, so both must be true. Off: the share decides alone.',
  },
  { ...share, name: 'critical.percent', label: 'Critical below', default: 0.05, explains: 'Free space as a share.' },
  {
    ...size,
    name: 'critical.bytes',
    label: 'Critical and below',
    default: 10 * gigabyte,
    explains: 'As for the warning.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 15 * minute,
    max: 86_400_000,
    explains: 'How long it must be so without a gap; a copy that is deleted again raises nothing.',
  },
  {
    name: 'clear.percent',
    type: 'percent',
    label: 'Clear above',
    default: 0.12,
    min: 0,
    max: 1,
    explains: 'A little above the threshold, so that the alert does not come and go.',
  },
  {
    ...size,
    name: 'clear.bytes',
    label: 'Clear or above',
    default: 24 * gigabyte,
    explains: 'Either is enough: on a large disk the bytes say that it is well long before the share does.',
  },
  {
    name: 'clear.hold',
    type: 'duration',
    label: 'Clear after',
    default: 5 * minute,
    max: 86_400_000,
    explains: 'How long it must be well again.',
  },
]

function below(values: Values, level: 'warning' | 'critical', free: number, total: number): boolean {
  const percent = read.optional(values, `${level}.percent`)
  const bytes = read.optional(values, `${level}.bytes`)
  if (percent === null && bytes === null) return false
  return (percent === null || free / total < percent) && (bytes === null || free < bytes)
}

export const diskSpace: WatchKind = {
  name: 'disk-space',
  title: 'Free disk space',
  subject: 'disk',
  collector: 'disks',
  metric: 'disk.free',
  about: ['warning.percent', 'warning.bytes', 'critical.percent', 'critical.bytes', 'clear.percent', 'clear.bytes'],
  lines(values, facts, instance) {
    const size = facts.disks?.find((disk) => disk.mount === instance)?.size
    return (['warning', 'critical'] as const).flatMap((severity) => {
      const percent = read.optional(values, `${severity}.percent`)
      const bytes = read.optional(values, `${severity}.bytes`)
      // Both must be true: the lower one decides.
      const limits = [
        ...(bytes === null ? [] : [bytes]),
        ...(percent === null || size === undefined ? [] : [percent * size]),
      ]
      return limits.length ? [{ severity, value: Math.min(...limits) }] : []
    })
  },
  choosing: {
    include: 'disks',
    except: 'except',
    of: (facts) => (facts.disks ?? []).map((disk) => ({ name: disk.mount, title: disk.removable ? 'removable' : '' })),
  },
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const disks = read.list(values, 'disks')
    const media = read.text(values, 'media')
    const threshold = (level: Severity): SentencePart[] => {
      const percent = read.optional(values, `${level}.percent`)
      const bytes = read.optional(values, `${level}.bytes`)
      if (percent === null && bytes === null) return []
      if (bytes === null) return sentence`${say(`${level}.percent`)}`
      if (percent === null) return sentence`${say(`${level}.bytes`)}`
      return sentence`${say(`${level}.percent`)} and below ${say(`${level}.bytes`)}`
    }
    const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
    const levels = (['warning', 'critical'] as const).filter((level) => threshold(level).length > 0)
    const raise = levels.flatMap((level, i) => [
      ...(i === 0 ? sentence`when free space is below ` : sentence`; below `),
      ...threshold(level),
      ...(i === 0 ? sentence` for ${say('hold')}, raise ${level}` : sentence`, ${level}`),
    ])
    const orAbove = read.optional(values, 'clear.bytes') === null ? [] : sentence` or ${say('clear.bytes')}`
    const every = disks.length === 1 && disks[0] === '*'
    // Of chosen disks their sort goes without saying, unless it is not the ordinary one.
    const sort = every || media !== 'fixed' ? sentence` ${say('media', every ? `${media} disk` : `(${media})`)}` : []
    const which = every ? [say('disks', 'every')] : sentence`${disks.length === 1 ? 'disk' : 'disks'} ${say('disks')}`
    return sentence`On ${which}${sort}${except}, ${raise}; clear above ${say('clear.percent')}${orAbove} for ${say('clear.hold')}.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
  gone(values, { facts }, mount) {
    if (!chosen(read.list(values, 'disks'), read.list(values, 'except'), mount)) return true
    const disk = facts.disks?.find((disk) => disk.mount === mount)
    return facts.disks !== undefined && (!disk || (disk.removable && read.text(values, 'media') === 'fixed'))
  },
  suspects(values, { series }) {
    const [disks, except] = [read.list(values, 'disks'), read.list(values, 'except')]
    const found = series
      .filter(({ metric, instance }) => metric === 'disk.free' && chosen(disks, except, instance))
      .map(({ instance, samples }) =>
        timesOfBoth(
          samples,
          series.find((other) => other.metric === 'disk.size' && other.instance === instance)?.samples ?? noSamples,
          (free, size) => size !== 0 && (below(values, 'warning', free, size) || below(values, 'critical', free, size)),
        ),
      )
    return allTimes(found)
  },
  observe(values, { readings, facts }) {
    const removable = new Set(facts.disks?.filter((disk) => disk.removable).map((disk) => disk.mount))
    const disks = read.list(values, 'disks')
    const except = read.list(values, 'except')
    const sizes = new Map<string, number>()
    for (const [metric, mount, value] of readings) if (metric === 'disk.size') sizes.set(mount, value)
    const clearBytes = read.optional(values, 'clear.bytes')
    const observations: Observation[] = []
    for (const [metric, mount, free] of readings) {
      const total = sizes.get(mount)
      if (metric !== 'disk.free' || !total) continue
      if (!chosen(disks, except, mount)) continue
      if (removable.has(mount) && read.text(values, 'media') === 'fixed') continue
      const failing = (['warning', 'critical'] as const).filter((level) => below(values, level, free, total))
      observations.push({
        instance: mount,
        failing,
        well:
          failing.length === 0 &&
          (free / total >= read.number(values, 'clear.percent') || (clearBytes !== null && free >= clearBytes)),
        evidence: () => ({
          text: `${percentText(free / total)} and ${bytesText(free)} free of ${bytesText(total)}`,
          value: free,
        }),
      })
    }
    return observations
  },
}
