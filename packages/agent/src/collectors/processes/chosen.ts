import { basename } from 'node:path'
import { factLimits } from '#contract/report'
import {
  choiceName,
  isProcessChosen,
  hour,
  minute,
  second,
  type Facts,
  type Millis,
  type ProcessChoice,
  type ProcessSeen,
  type Reading,
  type RunningProgram,
} from '#core'
import type { MachineLook, SeenProcess } from './use'

/** What a system tells of a process only when it is asked; absent: it never tells. */
export interface ProcessDetails {
  path?: (process: SeenProcess) => string
  arguments?: (process: SeenProcess) => string
  user?: (process: SeenProcess) => string
  /** Its command line as it may be kept, without secrets. */
  shown?: (process: SeenProcess) => string
}

/** As its system calls it, and as its program's file is called: Linux cuts the first off after 15 bytes. */
const namesOf = (process: SeenProcess, path: string | undefined): string[] => [
  ...new Set([process.called, ...(path ? [basename(path.replaceAll('\\', '/'))] : [])]),
]

/** Those that do something: no threads of the kernel, and none that ended and was not taken away yet. */
const isProgram = ({ isKernel, hasEnded }: SeenProcess) => !isKernel && !hasEnded

/**
 * How many processes of each choice there are, and what they use: all together, and the one that uses the most. Of a
 * choice that asks what this system does not tell nothing is said. A first look knows no CPU.
 * @param cores of the machine: shares are of one
 * @param ownMemory bytes that are a process's own
 */
export function chosenProcesses(
  choices: readonly ProcessChoice[],
  [before, now]: readonly [MachineLook | null, MachineLook],
  cores: number,
  details: ProcessDetails,
  ownMemory: (process: SeenProcess) => number,
): Reading[] {
  // There is always one, this one: where none is told nobody looked.
  if (!choices.length || !now.processes.size) return []
  // What no choice asks for is not looked up.
  const wants = (part: 'arguments' | 'user') => (choices.some((choice) => choice[part]) ? details[part] : undefined)
  const asked = { arguments: wants('arguments'), user: wants('user') }
  const found = new Map(choices.map((choice) => [choice, { processes: [] as SeenProcess[], isTold: true }]))
  for (const process of now.processes.values()) {
    if (!isProgram(process)) continue
    const path = details.path?.(process)
    const seen: ProcessSeen = {
      names: namesOf(process, path),
      ...(path === undefined ? {} : { path }),
      ...(asked.arguments ? { arguments: asked.arguments(process) } : {}),
      ...(asked.user ? { user: asked.user(process) } : {}),
    }
    for (const [choice, into] of found) {
      const isIn = isProcessChosen(choice, seen)
      if (isIn === null) into.isTold = false
      else if (isIn) into.processes.push(process)
    }
  }
  const coreTime = before && now.total > before.total ? (now.total - before.total) / cores : null
  const cpuOf = (process: SeenProcess): number => {
    const was = before!.processes.get(process.pid)
    return Math.max(0, process.own - (was?.started === process.started ? was.own : 0)) / coreTime!
  }
  const sum = (values: readonly number[]) => values.reduce((total, value) => total + value, 0)
  return [...found].flatMap(([choice, { processes, isTold }]): Reading[] => {
    if (!isTold) return []
    const name = choiceName(choice)
    const memory = processes.map(ownMemory)
    const cpu = coreTime === null ? null : processes.map(cpuOf)
    return [
      ['process.count', name, processes.length],
      ...(cpu
        ? ([
            ['process.cpu', name, sum(cpu)],
            ['process.cpu.most', name, Math.max(0, ...cpu)],
          ] satisfies Reading[])
        : []),
      ['process.memory', name, sum(memory)],
      ['process.memory.most', name, Math.max(0, ...memory)],
    ]
  })
}

/** So long a process runs before it is offered to pick from: what comes and goes is none that somebody watches. */
const lasting: Millis = 2 * minute

/**
 * What runs, looked at once, again when a machine that has just started has settled, then once an hour. What was seen
 * last is given each time: whether it has to be told again others know.
 */
export class Programs {
  #next: Millis = -Infinity
  #looks = 0
  #seen: Required<Pick<Facts, 'programs'>> = { programs: [] }
  /** @param now by a clock that nobody sets */
  at(now: Millis, look: () => Required<Pick<Facts, 'programs'>>): Required<Pick<Facts, 'programs'>> {
    if (now < this.#next) return this.#seen
    this.#next = now + (this.#looks++ === 0 ? lasting + second : hour)
    return (this.#seen = look())
  }
}

/** @param ageOf how long a process has run; null: not known */
export function programsOf(
  { processes }: MachineLook,
  details: ProcessDetails,
  ageOf: (process: SeenProcess) => Millis | null,
): Required<Pick<Facts, 'programs'>> {
  const found = new Map<string, RunningProgram>()
  for (const process of processes.values()) {
    const age = ageOf(process)
    if (!isProgram(process) || age === null || age < lasting) continue
    const path = details.path?.(process)
    const longest = namesOf(process, path).find((name) => name.startsWith(process.called) && name !== process.called)
    const name = longest ?? process.called
    // A process may call itself nothing at all, and then nobody can pick it.
    if (!name) continue
    const program: RunningProgram = {
      name,
      ...(path ? { path } : {}),
      ...(details.shown ? { arguments: details.shown(process) } : {}),
      ...(details.user ? { user: details.user(process) } : {}),
    }
    found.set(JSON.stringify(program), program)
  }
  const inOrder = [...found.entries()].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, program]) => program)
  return { programs: inOrder.slice(0, factLimits.programs) }
}
