import { readdirSync, readFileSync } from 'node:fs'
import { NotHereError, type Collect } from '../collector'
import { plainName, Tops, type Look, type SeenProcess } from '../processUse'
import { pageSize, parseCpu, parseMemory } from './performance'

/** A thread of the kernel: PF_KTHREAD of include/linux/sched.h. */
const kernelThread = 0x00200000

/**
 * A process as /proc/PID/stat tells it (proc_pid_stat(5)); its name may hold spaces and brackets. Threads of the kernel
 * are all of one name.
 */
export function parseProcess(stat: string, page: number): SeenProcess {
  const opens = stat.indexOf('(')
  const closes = stat.lastIndexOf(')')
  const fields = stat
    .slice(closes + 2)
    .split(' ')
    .map(Number)
  // Numbers of fields as the manual counts them, from 1.
  const field = (number: number) => fields[number - 3] ?? 0
  const isKernel = (field(9) & kernelThread) !== 0
  return {
    pid: Number(stat.slice(0, opens)),
    parent: field(4),
    name: isKernel ? 'kernel threads' : plainName(stat.slice(opens + 1, closes)),
    started: field(22),
    own: field(14) + field(15),
    ended: field(16) + field(17),
    resident: field(24) * page,
  }
}

/** Bytes in memory that are not shared, as /proc/PID/statm tells them (proc_pid_statm(5)). */
export function parseOwnMemory(statm: string, page: number): number {
  const [, resident = 0, shared = 0] = statm.split(' ').map(Number)
  return Math.max(0, resident - shared) * page
}

function read(path: string): string | null {
  try {
    return readFileSync(path, 'utf8')
  } catch {
    return null
  }
}

function look(page: number): Look {
  if (read('/proc/1/stat') === null)
    throw new NotHereError('this system shows processes to nobody but root (/proc is mounted with hidepid)')
  const seen = new Map<number, SeenProcess>()
  for (const name of readdirSync('/proc')) {
    if (!/^\d+$/.test(name)) continue
    const stat = read(`/proc/${name}/stat`)
    // It may have ended since.
    if (stat === null) continue
    const one = parseProcess(stat, page)
    seen.set(one.pid, one)
  }
  return seen
}

/** What runs, each time between two reports. */
export function processesCollector(): Collect {
  const page = pageSize()
  const tops = new Tops()
  const takeLook = () => {
    const memory = parseMemory(readFileSync('/proc/meminfo', 'utf8'))
    return {
      ...parseCpu(readFileSync('/proc/stat', 'utf8')),
      processes: look(page),
      memorySize: memory.get('MemTotal')!,
      memoryLeft: memory.get('MemAvailable')!,
    }
  }
  return {
    name: 'processes',
    collect: () =>
      tops.next(takeLook, ({ pid, resident }) => {
        const statm = read(`/proc/${pid}/statm`)
        return statm === null ? resident : parseOwnMemory(statm, page)
      }),
  }
}
