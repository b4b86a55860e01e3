import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { cpus } from 'node:os'
import type { Reading } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'

/** Busy and total jiffies of all CPUs together: first line of /proc/stat (proc_stat(5)). */
export function parseCpu(stat: string): { busy: number; total: number } {
  const fields = stat.slice(0, stat.indexOf('\n')).trim().split(/\s+/).slice(1, 9).map(Number)
  const [user = 0, nice = 0, system = 0, idle = 0, iowait = 0, irq = 0, softirq = 0, steal = 0] = fields
  const busy = user + nice + system + irq + softirq + steal
  return { busy, total: busy + idle + iowait }
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

export function performanceCollector(): Collect {
  const page = pageSize()
  let before: { at: number; cpu: ReturnType<typeof parseCpu>; swap: ReturnType<typeof parseSwap> } | null = null
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
      // Shares and rates need two looks; the first has none.
      if (before && cpu.total > before.cpu.total && now > before.at) {
        const seconds = (now - before.at) / 1000
        readings.push(
          ['cpu.busy', '', Math.min(1, Math.max(0, (cpu.busy - before.cpu.busy) / (cpu.total - before.cpu.total)))],
          ['paging.in', '', Math.max(0, ((swap.in - before.swap.in) * page) / seconds)],
          ['paging.out', '', Math.max(0, ((swap.out - before.swap.out) * page) / seconds)],
        )
      }
      before = { at: now, cpu, swap }
      return { readings }
    },
  }
}
