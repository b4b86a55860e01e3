import { minute } from '../../../units'
import { gauge, type Parts } from './gauge'

export const drives: Parts = {
  name: 'drives',
  label: 'Drives',
  one: 'drive',
  many: 'drives',
  of: ({ blocks, drives }) =>
    blocks?.map((name) => ({
      name,
      title: drives?.drives.find((drive) => drive.name === name || name.startsWith(`${drive.name}n`))?.model ?? '',
    })),
}

export const driveBusy = gauge({
  name: 'drive-busy',
  title: 'Drive busy',
  metric: 'io.busy',
  words: 'the use',
  parts: drives,
  type: 'percent',
  bad: 'above',
  levels: { warning: 0.95 },
  clear: 0.8,
  hold: 30 * minute,
  explains:
    'The share of time in which it had something to do. A drive that does many things at once may be busy all the time and still quick: its latency tells more. 95 % is chosen, no source.',
})

export const driveLatency = gauge({
  name: 'drive-latency',
  title: 'Drive latency',
  metric: 'io.latency',
  words: 'the latency',
  parts: drives,
  type: 'number',
  unitWords: ' ms',
  bad: 'above',
  levels: { warning: 50, critical: 200 },
  clear: 30,
  hold: 15 * minute,
  explains:
    'How long what was read or written took on average, in line and at the drive. One that turns needs about 10 ms for each by its mechanics; 50 and 200 ms are chosen, no source.',
})
