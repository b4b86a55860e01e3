import { isBusyMoment, processLimits, topProcesses, type Millis, type ProcessUse, type TopProcesses } from '#core'
import { steady } from '../../clock'

/** One process at one look. */
export interface SeenProcess {
  pid: number
  parent: number
  /** Without what is different each time. */
  name: string
  /** As its system calls it. */
  called: string
  isKernel?: boolean
  /** It ended, and nobody has taken note yet. */
  hasEnded?: boolean
  /** Tells it from another that had its number before. */
  started: number
  /** Processor time of its own, and of those it started and saw end, in a unit of the system's. */
  own: number
  ended: number
  /** In memory, shared pages with it; bytes. */
  resident: number
}

export type Look = ReadonlyMap<number, SeenProcess>

/**
 * What a program calls its process, without what is different each time: `worker-17` and `worker-18` are of one name;
 * `python3` stays.
 */
export function plainName(name: string): string {
  const text = name
    .replace(/[\p{Cc}\p{Cf}\p{Cs}]/gu, '')
    // A system cuts names at a byte, not at a letter.
    .replace(/\ufffd$/, '')
    .replace(/[\s_:#@/.-]+\d+$/, '')
    .trim()
  return (text || 'without a name').slice(0, processLimits.name)
}

/**
 * Processor time by name between two looks. Those that began and ended between them count with the one that started
 * them; what a process had used when it was last seen does not count once more when it ends.
 */
export function timeBetween(before: Look, now: Look): Map<string, number> {
  const isSame = (one: SeenProcess, other?: SeenProcess) => other?.started === one.started
  const isGone = (one: SeenProcess) => !isSame(one, now.get(one.pid))
  const gone = new Map<number, number>()
  for (const process of before.values()) {
    if (!isGone(process)) continue
    // Where the one that started it is gone, too, what it used came to whoever started that one.
    let parent = before.get(process.parent)
    for (let up = 0; parent && isGone(parent) && up < before.size; up++) parent = before.get(parent.parent)
    if (parent) gone.set(parent.pid, (gone.get(parent.pid) ?? 0) + process.own + process.ended)
  }
  const used = new Map<string, number>()
  for (const process of now.values()) {
    const was = before.get(process.pid)
    const known = was && isSame(process, was) ? was : null
    const ended = Math.max(0, process.ended - (known?.ended ?? 0) - (gone.get(process.pid) ?? 0))
    const time = Math.max(0, process.own - (known?.own ?? 0)) + ended
    used.set(process.name, (used.get(process.name) ?? 0) + time)
  }
  return used
}

/**
 * What the processes of each name use.
 * @param total processor time of the whole machine between the looks, in the same unit
 * @param least bytes; of names with less in memory nothing is asked of their own
 * @param ownMemory bytes that are a process's own, of its resident ones
 */
export function usesOf(
  before: Look,
  now: Look,
  total: number,
  least: number,
  ownMemory: (process: SeenProcess) => number,
): ProcessUse[] {
  const used = timeBetween(before, now)
  const byName = new Map<string, SeenProcess[]>()
  for (const process of now.values()) {
    const group = byName.get(process.name)
    if (group) group.push(process)
    else byName.set(process.name, [process])
  }
  return [...byName].map(([name, group]) => {
    const resident = group.reduce((sum, process) => sum + process.resident, 0)
    return {
      name,
      cpu: total > 0 ? Math.min(1, (used.get(name) ?? 0) / total) : 0,
      memory: resident >= least ? group.reduce((sum, process) => sum + ownMemory(process), 0) : 0,
      count: group.length,
    }
  })
}

/** A machine at one look: times are sums since its start, in the unit of its processes; memory in bytes. */
export interface MachineLook {
  processes: Look
  busy: number
  total: number
  memorySize: number
  memoryLeft: number
}

/** What used the machine most, from look to look: told where a moment is busy, and now and then at rest. */
export class Tops {
  #before: MachineLook | null = null
  #toldAt: Millis | null = null

  /**
   * @param look takes it
   * @param ownMemory bytes that are a process's own, of its resident ones
   */
  next(look: () => MachineLook, ownMemory: (process: SeenProcess) => number): { top?: TopProcesses } {
    const began = process.cpuUsage()
    const before = this.#before
    const now = (this.#before = look())
    if (!before || now.total <= before.total) return {}
    const total = now.total - before.total
    const at = steady()
    const isBusy = isBusyMoment((now.busy - before.busy) / total, now.memoryLeft / now.memorySize)
    if (!isBusy && this.#toldAt !== null && at - this.#toldAt < processLimits.restEvery) return {}
    this.#toldAt = at
    const least = processLimits.leastMemory * now.memorySize
    const processes = topProcesses(usesOf(before.processes, now.processes, total, least, ownMemory), now.memorySize)
    const { user, system } = process.cpuUsage(began)
    return { top: { took: Math.round((user + system) / 100) / 10, processes } }
  }
}
