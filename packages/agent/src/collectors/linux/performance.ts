import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { cpus } from 'node:os'
import type { Reading } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'
import { drivesUse } from './drivesUse'
import { temperatures } from './sensors'

/** Jiffies of all CPUs together since the start of the machine. */
export interface CpuTimes {
  /** Not idle, whoever used it: what the host of a virtual machine took is in it. */
  busy: number
  /** Idle, with something asked of a disk that has not come yet. */
  wait: number
  /** Taken by the host, for others. */
  steal: number
  total: number
}

/** The first line of /proc/stat (proc_stat(5)). */
export function parseCpu(stat: string): CpuTimes {
  const fields = stat.slice(0, stat.indexOf('\n')).trim().split(/\s+/).slice(1, 9).map(Number)
  const [user = 0, nice = 0, system = 0, idle = 0, iowait = 0, irq = 0, softirq = 0, steal = 0] = fields
  const busy = user + nice + system + irq + softirq + steal
  return { busy, wait: iowait, steal, total: busy + idle + iowait }
}

/** Values of /proc/meminfo in bytes (proc_meminfo(5): given in units of 1024 bytes). */
export function parseMemory(meminfo: string): Map<string, number> {
  return new Map(
    [...meminfo.matchAll(/^(\w+(?:\(\w+\))?):\s+(\d+) kB$/gm)].map((match) => [match[1]!, Number(match[2]) * 1024]),
  )
}

/** Pages swapped in and out since the start of the machine (proc_vmstat(5)). */
export function parseSwap(vmstat: string): { in: number; out: number } {
  const value = (name: string) => Number(new RegExp(`^${name} (\\d+)$`, 'm').exec(vmstat)?.[1] ?? 0)
  return { in: value('pswpin'), out: value('pswpout') }
}

/** Of this machine (getconf(1)); pages are larger than 4096 bytes on some. */
export function pageSize(): number {
  try {
    return Number(execFileSync('getconf', ['PAGESIZE'], { encoding: 'utf8', timeout: 5000 })) || 4096
  } catch {
    return 4096
  }
}

/** Files that all programs hold open together: the first of /proc/sys/fs/file-nr (proc_sys_fs(5)). */
export function parseOpenFiles(fileNr: string): number | null {
  const open = Number(fileNr.trim().split(/\s+/)[0])
  return Number.isFinite(open) && fileNr.trim() !== '' ? open : null
}

export function performanceCollector(): Collect {
  const page = pageSize()
  let before: { at: number; cpu: CpuTimes; swap: ReturnType<typeof parseSwap> } | null = null
  let counted: ReturnType<typeof drivesUse>['counted'] | null = null
  return {
    name: 'performance',
    collect() {
      const now = steady()
      const cpu = parseCpu(readFileSync('/proc/stat', 'utf8'))
      const swap = parseSwap(readFileSync('/proc/vmstat', 'utf8'))
      const memory = parseMemory(readFileSync('/proc/meminfo', 'utf8'))
      const readings: Reading[] = [
        ['memory.size', '', memory.get('MemTotal')!],
        ['memory.available', '', memory.get('MemAvailable')!],
        ['load.5', '', Number(readFileSync('/proc/loadavg', 'utf8').split(' ')[1]) / cpus().length],
        ['uptime', '', Math.floor(Number(readFileSync('/proc/uptime', 'utf8').split(' ')[0]))],
      ]
      const files = existsSync('/proc/sys/fs/file-nr')
        ? parseOpenFiles(readFileSync('/proc/sys/fs/file-nr', 'utf8'))
        : null
      if (files !== null) readings.push(['files.open', '', files])
      // Shares and rates need two looks; the first has none.
      if (before && cpu.total > before.cpu.total && now > before.at) {
        const seconds = (now - before.at) / 1000
        const passed = cpu.total - before.cpu.total
        const share = (part: 'busy' | 'wait' | 'steal') =>
          // The kernel counts the idle's waiting loosely: it may go back (proc_stat(5)).
          Math.min(1, Math.max(0, (cpu[part] - before!.cpu[part]) / passed))
        readings.push(
          ['cpu.busy', '', share('busy')],
          ['cpu.wait', '', share('wait')],
          ['cpu.steal', '', share('steal')],
          ['paging.in', '', Math.max(0, ((swap.in - before.swap.in) * page) / seconds)],
          ['paging.out', '', Math.max(0, ((swap.out - before.swap.out) * page) / seconds)],
        )
      }
      before = { at: now, cpu, swap }
      const heat = temperatures()
      const { sensors } = heat
      readings.push(...heat.readings)
      // A kernel without this file tells no drives: they are not known then, and not none.
      if (!existsSync('/proc/diskstats')) return { readings, facts: { sensors } }
      const drives = drivesUse(counted, now)
      counted = drives.counted
      return { readings: [...readings, ...drives.readings], facts: { ...drives.facts, sensors } }
    },
  }
}
