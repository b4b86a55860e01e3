import { existsSync, readFileSync } from 'node:fs'
import type { CollectSettings } from '#contract/report'
import { disksCollector } from './linux/disks'
import { drivesCollector } from './linux/drives'
import { eventlogCollector } from './linux/eventlog'
import { networkCollector } from './linux/network'
import { performanceCollector } from './linux/performance'
import { protectionCollector } from './linux/protection'
import { countersCollector } from './counters'
import { ownOfLinux } from './counters/own'
import { filesCollector, isTmpPrivate } from './files'
import { processesCollector } from './linux/processes'
import { servicesCollector } from './linux/services'
import { sessionsCollector } from './linux/sessions'
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

type Wanted = Pick<CollectSettings, 'logs' | 'shares' | 'keep' | 'processes' | 'files' | 'counters'>

/** Where this program sees what; empty where the kernel does not tell. */
const ownMounts = () => (existsSync('/proc/self/mountinfo') ? readFileSync('/proc/self/mountinfo', 'utf8') : '')

/**
 * @param home where they remember things; null: nowhere
 * @param wanted what to read beyond the ordinary
 * @param places how far each collector had read when the program ended
 */
export function allCollectors(
  home: string | null,
  refresh: boolean,
  wanted: () => Wanted = () => ({ logs: [] }),
  places: Readonly<Record<string, unknown>> = {},
): Collect[] {
  if (onWindows) return windowsCollectors(home, wanted, places.eventlog)
  return [
    performanceCollector(),
    disksCollector(() => wanted().shares === true),
    drivesCollector(),
    networkCollector(),
    servicesCollector(),
    updatesCollector(home, refresh),
    eventlogCollector({
      place: places.eventlog,
      wanted: () => wanted().logs,
      keeping: () => wanted().keep ?? null,
    }),
    softwareCollector(),
    processesCollector(() => wanted().processes ?? []),
    filesCollector(() => wanted().files ?? [], isTmpPrivate(ownMounts())),
    protectionCollector(),
    sessionsCollector(),
    countersCollector(() => wanted().counters ?? [], ownOfLinux(home)),
  ]
}
