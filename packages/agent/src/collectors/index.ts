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
export { command } from './command'
export { ownAddresses, osName, systemFacts } from './system'
export { OptionalCollectors } from './optional'
export { serviceManager } from './services'

/**
 * @param home where they remember things; null: nowhere
 * @param logs names of logs, as patterns, to read beyond the ordinary ones
 * @param places how far each collector had read when the program ended
 */
export function allCollectors(home: string | null, refresh: boolean, logs: () => readonly string[] = () => [], places: Readonly<Record<string, unknown>> = {}): Collect[] {
  if (onWindows) return windowsCollectors(home, logs, places.eventlog)
  return [performanceCollector(), disksCollector(), networkCollector(), servicesCollector(), updatesCollector(home, refresh), eventlogCollector({ place: places.eventlog, wanted: logs }), softwareCollector()]
}
