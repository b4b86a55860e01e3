import { disksCollector } from './disks'
import { eventlogCollector } from './eventlog'
import { networkCollector } from './network'
import { performanceCollector } from './performance'
import { servicesCollector } from './services'
import { softwareCollector } from './software'
import { updatesCollector } from './updates'
import type { Collect } from './collector'
import { onWindows } from '../place'
import { windowsCollectors } from '../windows/collectors'

export { NotHere, type Collect, type Collected } from './collector'
export { ownAddresses, osName, systemFacts } from './system'
export { OptionalCollectors } from './optional'
export { serviceManager } from './services'

/** @param logs names of logs, as patterns, to read beyond the ordinary ones */
export function allCollectors(home: string, refresh: boolean, logs: () => readonly string[] = () => []): Collect[] {
  if (onWindows) return windowsCollectors(home, logs)
  return [performanceCollector(), disksCollector(), networkCollector(), servicesCollector(), updatesCollector(home, refresh), eventlogCollector(home, logs), softwareCollector()]
}
