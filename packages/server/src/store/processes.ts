import type { DeviceId, Millis, ProcessSample, TopProcesses } from '#core'
import { rows, time, type Db } from '../db'

type StoredUse = [name: string, cpu: number, memory: number, count: number]

/** As it is kept of a moment. */
export function storedTop({ processes }: TopProcesses): string {
  const uses = processes.map(({ name, cpu, memory, count }): StoredUse => [
    name,
    Math.round(cpu * 1000) / 1000,
    Math.round(memory),
    count,
  ])
  return JSON.stringify(uses)
}

/**
 * What was at the top at the moments of a time that were told, the newest first.
 * @param most so many of them at most
 */
export async function processTops(
  db: Db,
  deviceId: DeviceId,
  from: Millis,
  until: Millis,
  most: number,
): Promise<ProcessSample[]> {
  const found = await rows<{ at: Millis; took: number; processes: StoredUse[] }>(
    db,
    // By the primary key (device, at).
    `select at, took_ms as took, processes from process_top
     where device_id = $1 and at >= $2 and at < $3 order by at desc limit $4`,
    [deviceId, time(from), time(until), most],
  )
  return found.map(({ at, took, processes }) => ({
    at,
    took,
    processes: processes.map(([name, cpu, memory, count]) => ({ name, cpu, memory, count })),
  }))
}
