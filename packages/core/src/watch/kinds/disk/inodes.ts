import { allTimes, timesBeyond } from '../../../series'
import { numberText, percentText } from '../../../text'
import { minute } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { choosingDisks, disksSentence, isDiskGone, isDiskNamed, isDiskWanted, whichDisks } from './which'

const share = { type: 'percent', min: 0, max: 1, optional: true } as const

const parameters: readonly Parameter[] = [
  ...whichDisks,
  {
    ...share,
    name: 'warning',
    label: 'Warning below',
    default: 0.1,
    explains: 'Free inodes as a share. 10 % is common practice, no source.',
  },
  {
    ...share,
    name: 'critical',
    label: 'Critical below',
    default: 0.03,
    explains: 'Without one no file can be made, however many bytes are free.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 15 * minute,
    max: 86_400_000,
    explains: 'Many small files that are deleted again raise nothing.',
  },
  {
    ...share,
    optional: false,
    name: 'clear',
    label: 'Clear above',
    default: 0.12,
    explains: 'A little above the threshold, so that the alert does not come and go.',
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

const levels = ['warning', 'critical'] as const
const failingAt = (values: Values, free: number) =>
  levels.filter((level) => free < (read.optional(values, level) ?? -1))

/** File systems that hold a fixed number of files, whatever their size. */
export const diskInodes: WatchKind = {
  name: 'disk-inodes',
  title: 'Free inodes',
  subject: 'disk',
  collector: 'disks',
  metric: 'disk.inodes.free',
  about: ['warning', 'critical', 'clear'],
  choosing: choosingDisks,
  parameters,
  lines: (values) =>
    levels.flatMap((severity) => {
      const value = read.optional(values, severity)
      return value === null ? [] : [{ severity, value }]
    }),
  sentence(values) {
    const say = sayer(parameters, values)
    const raise = levels
      .filter((level) => read.optional(values, level) !== null)
      .flatMap((level, i) =>
        i === 0
          ? sentence`when free inodes are below ${say(level)} for ${say('hold')}, raise ${level}`
          : sentence`; below ${say(level)}, ${level}`,
      )
    return sentence`On ${disksSentence(say, values)}, ${raise.length ? raise : [{ text: 'nothing is asked' }]}; clear above ${say('clear')} for ${say('clear.hold')}.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
  gone: (values, { facts }, mount) => isDiskGone(values, facts, mount),
  suspects(values, { series }) {
    const limit = Math.max(...levels.map((level) => read.optional(values, level) ?? -1))
    return allTimes(
      series
        .filter(({ metric, instance }) => metric === 'disk.inodes.free' && isDiskNamed(values, instance))
        .map(({ samples }) => timesBeyond(samples, limit, -1)),
    )
  },
  observe(values, { readings, facts }) {
    return readings.flatMap(([metric, mount, free]): Observation[] => {
      const disk = facts.disks?.find((disk) => disk.mount === mount)
      if (metric !== 'disk.inodes.free' || !isDiskWanted(values, mount, disk) || disk?.readOnly === 'meant') return []
      const failing = failingAt(values, free)
      return [
        {
          instance: mount,
          failing,
          well: failing.length === 0 && free >= read.number(values, 'clear'),
          evidence: () => ({
            subject: mount,
            text: `${mount} has ${percentText(free)} of its ${disk?.inodes === undefined ? '' : `${numberText(disk.inodes)} `}inodes free`,
            value: free,
          }),
        },
      ]
    })
  },
}
