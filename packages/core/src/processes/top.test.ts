import { describe, expect, it } from 'vitest'
import { busiestProcesses, isBusyMoment, topProcesses, type ProcessUse } from './top'

const use = (name: string, cpu: number, memory: number): ProcessUse => ({ name, cpu, memory, count: 1 })

describe('a moment', () => {
  it.each([
    ['half of the processors are busy', 0.5, 0.9, true],
    ['little memory is left', 0.02, 0.15, true],
    ['neither', 0.49, 0.16, false],
    ['nothing is known', null, null, false],
  ])('is busy or not where %s', (_, cpu, left, isBusy) => {
    expect(isBusyMoment(cpu, left)).toBe(isBusy)
  })
})

describe('the top', () => {
  it('has the five with the most CPU and the five with the most memory, each once', () => {
    const busy = Array.from({ length: 8 }, (_, i) => use(`busy-${i}`, 0.1 - i / 100, 0))
    const large = Array.from({ length: 8 }, (_, i) => use(`large-${i}`, 0, 300 - i))
    const both = use('both', 0.5, 900)
    expect(topProcesses([...large, both, ...busy], 1000).map(({ name }) => name)).toEqual([
      'both',
      'busy-0',
      'busy-1',
      'busy-2',
      'busy-3',
      'large-0',
      'large-1',
      'large-2',
      'large-3',
    ])
  })
  it('leaves out what uses a trace, and is empty where all do', () => {
    expect(topProcesses([use('idle', 0.004, 9), use('small', 0, 9)], 1000)).toEqual([])
    expect(topProcesses([use('small', 0, 10)], 1000)).toEqual([use('small', 0, 10)])
  })
})

it('over a time: the most of each with its moment, and a mean over all moments, those without it too', () => {
  const moment = (at: number, ...processes: ProcessUse[]) => ({ at, took: 1, processes })
  expect(
    busiestProcesses([
      moment(1, use('build', 0.9, 100), use('web', 0.1, 700)),
      moment(2, use('web', 0.3, 600)),
      moment(3),
      moment(4, use('build', 0.3, 200)),
    ]),
  ).toEqual([
    { name: 'build', cpu: 0.9, cpuAt: 1, cpuMean: 0.3, memory: 200, memoryAt: 4, count: 1, moments: 2 },
    { name: 'web', cpu: 0.3, cpuAt: 2, cpuMean: 0.1, memory: 700, memoryAt: 1, count: 1, moments: 2 },
  ])
  expect(busiestProcesses([])).toEqual([])
})
