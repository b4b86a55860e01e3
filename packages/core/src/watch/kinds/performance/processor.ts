import { percentText } from '../../../text'
import { minute } from '../../../units'
import { gauge } from './gauge'

/** Less of it taken by the host is no news of a busy CPU. */
const leastSteal = 0.05

export const cpuBusy = gauge({
  name: 'cpu-busy',
  title: 'CPU busy',
  metric: 'cpu.busy',
  words: 'the CPU',
  type: 'percent',
  bad: 'above',
  levels: { notice: 0.95, warning: 0.97, critical: 0.99 },
  clear: 0.9,
  hold: 15 * minute,
  explains: '95, 97 and 99 % are common practice, no source.',
  also(readings) {
    const steal = readings.find(([metric]) => metric === 'cpu.steal')?.[2] ?? 0
    return steal >= leastSteal ? `; ${percentText(steal)} were taken by the host` : ''
  },
})

export const cpuWait = gauge({
  name: 'cpu-wait',
  title: 'CPU waiting for disks',
  metric: 'cpu.wait',
  words: 'the time the CPU waits for disks',
  type: 'percent',
  bad: 'above',
  levels: { warning: 0.3, critical: 0.6 },
  clear: 0.2,
  hold: 15 * minute,
  explains:
    'Idle for want of what was asked of a disk: of four processors one that always waits is 25 %. 30 % is chosen, no source. Only Linux tells.',
})

export const cpuSteal = gauge({
  name: 'cpu-steal',
  title: 'CPU taken by the host',
  metric: 'cpu.steal',
  words: 'the part of the CPU that its host gives to others',
  type: 'percent',
  bad: 'above',
  levels: { warning: 0.1, critical: 0.3 },
  clear: 0.05,
  hold: 15 * minute,
  explains:
    'Time in which a virtual machine would have run and was not let: nothing on the machine itself helps. 10 % is chosen, no source. Only Linux tells.',
})

export const loadPerCore = gauge({
  name: 'load',
  title: 'Load over five minutes',
  metric: 'load.5',
  words: 'load over five minutes per core',
  type: 'number',
  bad: 'above',
  levels: { warning: 3 },
  clear: 2,
  hold: 20 * minute,
  explains: '3 is common practice, no source; here per core, so that it means the same on every machine.',
})
