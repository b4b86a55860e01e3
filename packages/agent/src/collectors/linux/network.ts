import { existsSync, readFileSync } from 'node:fs'
import { networkInterfaces } from 'node:os'
import type { Reading } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'

/** Bytes received and sent by interface since the start: /proc/net/dev (proc_pid_net(5)), without loopback. */
export function parseInterfaces(dev: string): Map<string, { received: number; sent: number }> {
  const found = new Map<string, { received: number; sent: number }>()
  for (const line of dev.split('\n').slice(2)) {
    const [name, rest] = line.split(':')
    const fields = rest?.trim().split(/\s+/).map(Number)
    if (name && fields && name.trim() !== 'lo') found.set(name.trim(), { received: fields[0]!, sent: fields[8]! })
  }
  return found
}

/**
 * Interfaces that stay: those with hardware behind them, and those with an address of their own. Ends of cables to
 * containers and the like come and go under ever new names, and would be a new series each time.
 */
function stays(name: string): boolean {
  if (existsSync(`/sys/class/net/${name}/device`)) return true
  return (networkInterfaces()[name] ?? []).some((address) => !address.address.startsWith('fe80:'))
}

export function networkCollector(): Collect {
  let before: { at: number; counters: ReturnType<typeof parseInterfaces> } | null = null
  return {
    name: 'network',
    collect() {
      const now = steady()
      const counters = parseInterfaces(readFileSync('/proc/net/dev', 'utf8'))
      const readings: Reading[] = []
      for (const [name, now_] of counters) {
        if (!stays(name)) continue
        const was = before?.counters.get(name)
        // A counter that went back was reset: no rate this time.
        if (!was || now <= before!.at || now_.received < was.received || now_.sent < was.sent) continue
        const seconds = (now - before!.at) / 1000
        readings.push(
          ['net.received', name, (now_.received - was.received) / seconds],
          ['net.sent', name, (now_.sent - was.sent) / seconds],
        )
      }
      before = { at: now, counters }
      return { readings }
    },
  }
}
