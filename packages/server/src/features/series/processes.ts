import type { ProcessesPage } from '#contract'
import { busiestProcesses, quantile, type DeviceId, type Millis } from '#core'
import type { Db } from '../../db'
import { processTops } from '../../store/processes'

const mostMoments = 5000
const mostProcesses = 12

/** What used a device most over a time; of a long one, over its newest moments. */
export async function processesOf(db: Db, deviceId: DeviceId, from: Millis, until: Millis): Promise<ProcessesPage> {
  const found = await processTops(db, deviceId, from, until, mostMoments + 1)
  const moments = found.slice(0, mostMoments)
  const all = busiestProcesses(moments)
  // Those that used no processor worth telling are told for their memory.
  const byMemory = all.toSorted((a, b) => b.memory - a.memory).slice(0, mostProcesses / 2)
  const shown = [...new Set([...all.slice(0, mostProcesses / 2), ...byMemory])]
  return {
    from: found.length > mostMoments ? moments.at(-1)!.at : from,
    until,
    moments: moments.length,
    took: moments.length ? quantile(Float64Array.from(moments, ({ took }) => took).sort(), 0.5) : null,
    processes: all.filter((process) => shown.includes(process)),
    others: all.length - shown.length,
  }
}
