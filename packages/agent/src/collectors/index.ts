import { disksCollector } from './linux/disks'
import { eventlogCollector } from './linux/eventlog'
import { networkCollector } from './linux/network'
import { performanceCollector } from './linux/performance'
import { processesCollector } from './linux/processes'
import { servicesCollector } from './linux/services'
import { softwareCollector } from './linux/software'
import { updatesCollector } from './linux/updates'
import type { Collect } from './collector'
import { onWindows } from '../install/place'
import { windowsCollectors } from './windows/collectors'

export { NotHereError, type Collect, type Collected } from './collector'
export { command } from './command'
export { ownAddresses, osName, systemFacts } from './system'
export { OptionalCollectors } from './optional'
export { serviceManager } from './linux/services'

/**
 * @param home where they remember things; null: nowhere
 * @param logs names of logs, as patterns, to read beyond the ordinary ones
 * @param places how far each collector had read when the program ended
 */
export function allCollectors(
  home: string | null,
  refresh: boolean,
  logs: () => readonly string[] = () => [],
  places: Readonly<Record<string, unknown>> = {},
): Collect[] {
  if (onWindows) return windowsCollectors(home, logs, places.eventlog)
  return [
    performanceCollector(),
    disksCollector(),
    networkCollector(),
    servicesCollector(),
    updatesCollector(home, refresh),
    eventlogCollector({ place: places.eventlog, wanted: logs }),
    softwareCollector(),
    processesCollector(),
  ]
}
