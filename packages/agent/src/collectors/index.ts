import { disksCollector } from './disks'
import { eventlogCollector } from './eventlog'
import { networkCollector } from './network'
import { performanceCollector } from './performance'
import { servicesCollector } from './services'
import { softwareCollector } from './software'
import { updatesCollector } from './updates'
import type { Collect } from './collector'

export { NotHere, type Collect, type Collected } from './collector'
export { agentVersion, ownAddresses, osName, systemFacts } from './system'
export { serviceManager } from './services'

export function allCollectors(home: string, refresh: boolean): Collect[] {
  return [performanceCollector(), disksCollector(), networkCollector(), servicesCollector(), updatesCollector(home, refresh), eventlogCollector(home), softwareCollector()]
}
