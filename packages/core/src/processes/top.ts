import type { MetricName } from '../series'
import type { Millis } from '../units'

/** What processes use up, so that it is worth asking which. */
export const usedByProcesses: ReadonlySet<MetricName> = new Set([
  'cpu.busy',
  'memory.available',
  'load.5',
  'paging.in',
  'paging.out',
])

/** What processes of one name used together. */
export interface ProcessUse {
  name: string
  /** Share of all processors since the look before, 0 to 1. */
  cpu: number
  /** Bytes of memory of their own: what would be free if they ended. */
  memory: number
  /** How many there are. */
  count: number
}

/** What stood at the top at one moment. */
export interface TopProcesses {
  /** CPU time that the look itself took, in milliseconds. */
  took: number
  processes: ProcessUse[]
}

/** A moment whose top was told. */
export interface ProcessSample extends TopProcesses {
  at: Millis
}

/** Bounds of what is told of a moment, and how often. */
export const processLimits = {
  /** So many by CPU and so many by memory. */
  each: 5,
  name: 60,
  /** Less of the processors, or of the memory, is not told. */
  leastCpu: 0.005,
  leastMemory: 0.01,
  /** From here on a moment is busy: this share of all processors, or so little of the memory left. */
  busyCpu: 0.5,
  scarceMemory: 0.15,
  /** A moment at rest is told so often, to compare with. */
  restEvery: 15 * 60_000,
} as const

/** Whether it is worth telling what runs. Shares of all processors that were busy, and of the memory that is left. */
export function isBusyMoment(cpu: number | null, memoryLeft: number | null): boolean {
  return (cpu ?? 0) >= processLimits.busyCpu || (memoryLeft ?? 1) <= processLimits.scarceMemory
}

/**
 * Those that used the most of the processors, and those that have the most memory; the most CPU first.
 * @param memorySize of the machine, in bytes
 */
export function topProcesses(uses: readonly ProcessUse[], memorySize: number): ProcessUse[] {
  const { each, leastCpu, leastMemory } = processLimits
  const most = (of: (use: ProcessUse) => number, least: number) =>
    uses
      .filter((use) => of(use) >= least)
      .sort((a, b) => of(b) - of(a) || (a.name < b.name ? -1 : 1))
      .slice(0, each)
  const byMemory = most(({ memory }) => memory, leastMemory * memorySize)
  return [...new Set([...most(({ cpu }) => cpu, leastCpu), ...byMemory])].sort(
    (a, b) => b.cpu - a.cpu || b.memory - a.memory,
  )
}

/** What processes of one name used over the moments of a time. */
export interface BusyProcess {
  name: string
  /** The most of all processors at a moment, and when. */
  cpu: number
  cpuAt: Millis
  /** The mean over all moments that were told; where it was not at the top it counts as nothing. */
  cpuMean: number
  /** The most memory at a moment, and when. */
  memory: number
  memoryAt: Millis
  /** The most of them at a moment. */
  count: number
  /** At so many moments it stood at the top. */
  moments: number
}

/** Of all moments together, by the CPU they used over all of them, then by memory. */
export function busiestProcesses(samples: readonly ProcessSample[]): BusyProcess[] {
  const found = new Map<string, BusyProcess>()
  for (const { at, processes } of samples)
    for (const { name, cpu, memory, count } of processes) {
      const known = found.get(name)
      if (!known) {
        found.set(name, { name, cpu, cpuAt: at, cpuMean: cpu, memory, memoryAt: at, count, moments: 1 })
        continue
      }
      known.cpuMean += cpu
      known.moments++
      known.count = Math.max(known.count, count)
      if (cpu > known.cpu) Object.assign(known, { cpu, cpuAt: at })
      if (memory > known.memory) Object.assign(known, { memory, memoryAt: at })
    }
  for (const process of found.values()) process.cpuMean /= samples.length
  return [...found.values()].sort((a, b) => b.cpuMean - a.cpuMean || b.memory - a.memory)
}
