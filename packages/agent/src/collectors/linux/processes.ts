import { readdirSync, readFileSync, readlinkSync, statSync } from 'node:fs'
import { cpus } from 'node:os'
import { second, withoutSecrets, type ProcessChoice } from '#core'
import { steady } from '../../clock'
import { NotHereError, type Collect } from '../collector'
import { chosenProcesses, Programs, programsOf, type ProcessDetails } from '../processes/chosen'
import { plainName, Tops, type Look, type MachineLook, type SeenProcess } from '../processes/use'
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
  const called = stat.slice(opens + 1, closes)
  const isKernel = (field(9) & kernelThread) !== 0
  return {
    pid: Number(stat.slice(0, opens)),
    parent: field(4),
    name: isKernel ? 'kernel threads' : plainName(called),
    called,
    ...(isKernel ? { isKernel } : {}),
    ...(/^[ZXx]/.test(stat.slice(closes + 2)) ? { hasEnded: true } : {}),
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

/** Ticks of a second in which the kernel counts for programs (sysconf(3), _SC_CLK_TCK): 100 on every Linux. */
const ticksOfSecond = 100

/** Names of users by their number: passwd(5). Those of a directory have their number alone. */
export function parseUsers(passwd: string): Map<number, string> {
  return new Map(
    passwd.split('\n').flatMap((line): [number, string][] => {
      const [name, , id] = line.split(':')
      return name && id ? [[Number(id), name]] : []
    }),
  )
}

/** So much of a command line is looked at: some are megabytes long. */
const mostOfLine = 8192
const wordsOf = ({ pid }: SeenProcess): string[] =>
  (read(`/proc/${pid}/cmdline`) ?? '').slice(0, mostOfLine).split('\0').filter(Boolean)

/** What /proc tells of a process; of those of others an agent without root's rights knows how they were started. */
function detailsNow(): ProcessDetails {
  const users = parseUsers(read('/etc/passwd') ?? '')
  return {
    path(process) {
      try {
        return readlinkSync(`/proc/${process.pid}/exe`).replace(/ \(deleted\)$/, '')
      } catch {
        return wordsOf(process)[0] ?? ''
      }
    },
    arguments: (process) => wordsOf(process).join(' '),
    shown: (process) => withoutSecrets(wordsOf(process)),
    user({ pid }) {
      const { uid } = statSync(`/proc/${pid}`, { throwIfNoEntry: false }) ?? {}
      return uid === undefined ? '' : (users.get(uid) ?? String(uid))
    },
  }
}

/** What runs, each time between two reports. @param wanted which processes to count */
export function processesCollector(wanted: () => readonly ProcessChoice[] = () => []): Collect {
  const page = pageSize()
  const tops = new Tops()
  let before: MachineLook | null = null
  const programs = new Programs()
  const takeLook = (): MachineLook => {
    const memory = parseMemory(readFileSync('/proc/meminfo', 'utf8'))
    return {
      ...parseCpu(readFileSync('/proc/stat', 'utf8')),
      processes: look(page),
      memorySize: memory.get('MemTotal')!,
      memoryLeft: memory.get('MemAvailable')!,
    }
  }
  const ownMemory = ({ pid, resident }: SeenProcess) => {
    const statm = read(`/proc/${pid}/statm`)
    return statm === null ? resident : parseOwnMemory(statm, page)
  }
  return {
    name: 'processes',
    collect() {
      let now!: MachineLook
      const top = tops.next(() => (now = takeLook()), ownMemory)
      const details = detailsNow()
      const readings = chosenProcesses(wanted(), [before, now], cpus().length, details, ownMemory)
      before = now
      const up = Number(read('/proc/uptime')?.split(' ')[0]) * second
      const ageOf = ({ started }: SeenProcess) => (Number.isFinite(up) ? up - (started / ticksOfSecond) * second : null)
      return { ...top, readings, facts: programs.at(steady(), () => programsOf(now, details, ageOf)) }
    },
  }
}
