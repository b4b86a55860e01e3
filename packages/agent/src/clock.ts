import { createHash, randomUUID } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { uptime } from 'node:os'
import type { Millis } from '#core'

/** Of this run of the agent, and of no other on any machine. */
export const instance = randomUUID()

/** Time by a clock that nobody sets: for paces and rates. Its beginning means nothing. */
export function steady(): Millis {
  return performance.now()
}

function textOf(file: string): string | null {
  try {
    return existsSync(file) ? readFileSync(file, 'utf8').trim() : null
  } catch {
    return null
  }
}

/**
 * For how long the machine has been up, sleep included (proc_uptime(5)), and which start of it that counts from
 * (random(4), boot_id). Where the system names no start, it is this run of the agent that the time is good for.
 */
export function sinceStart(): { up: Millis; boot: string } {
  const told = textOf('/proc/uptime')?.split(' ')[0]
  return {
    up: Math.round((told === undefined ? uptime() : Number(told)) * 1000),
    boot: textOf('/proc/sys/kernel/random/boot_id') ?? instance,
  }
}

/**
 * The machine's identifier (machine-id(5)), hashed as that page asks for, so that it serves nothing else. Null: it has
 * none.
 */
export function machineMark(): string | null {
  const id = textOf('/etc/machine-id')
  return id ? createHash('sha256').update(`custode-agent:${id}`).digest('hex').slice(0, 32) : null
}
