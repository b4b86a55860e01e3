import { withCommon } from '../commonParameters'
import type { ServiceAction, WatchKind } from '../kind'
import type { MetricName } from '../../series'
import type { Values } from '../parameter'
import { collectorFails, identityShared } from './agentHealth'
import { agentBehind, clockOff, reportsLost } from './agentReports'
import { certificateLeft } from './certificateLeft'
import { counterKinds } from './counter'
import { diskInodes, diskReadOnly, diskSpace, driveHealth } from './disk'
import { files } from './file'
import { logAbsence, logKept, logMatch, logPair } from './log'
import {
  cpuBusy,
  cpuSteal,
  cpuWait,
  driveBusy,
  driveLatency,
  linkLoad,
  linkTraffic,
  loadPerCore,
  memoryAvailable,
  openFiles,
  pagingOut,
  temperature,
} from './performance'
import { processRuns } from './process'
import { protectionKinds } from './protection'
import { reachKinds } from './reach'
import { sessionWatches } from './session'
import { serviceState } from './serviceState'
import { silence } from './silence'
import { updates } from './updates'
import { unusualKinds } from './unusual'
import { restarted, upForLong } from './uptime'

const all: readonly WatchKind[] = [
  silence,
  restarted,
  upForLong,
  serviceState,
  diskSpace,
  diskInodes,
  diskReadOnly,
  driveHealth,
  updates,
  logMatch,
  logAbsence,
  logPair,
  logKept,
  cpuBusy,
  cpuWait,
  cpuSteal,
  memoryAvailable,
  loadPerCore,
  pagingOut,
  driveLatency,
  driveBusy,
  linkLoad,
  linkTraffic,
  openFiles,
  temperature,
  ...unusualKinds,
  processRuns,
  files,
  certificateLeft,
  ...protectionKinds,
  ...sessionWatches,
  ...counterKinds,
  ...reachKinds,
  collectorFails,
  identityShared,
  clockOff,
  reportsLost,
  agentBehind,
]

export const watchKinds: ReadonlyMap<string, WatchKind> = new Map(
  all.map((kind) => [kind.name, kind.isSetting ? kind : withCommon(kind)]),
)

/** @throws RangeError when there is no such kind. */
export function watchKind(name: string): WatchKind {
  const kind = watchKinds.get(name)
  if (!kind) throw new RangeError(`There is no watch kind “${name}”.`)
  return kind
}
export { collectorWords, sharedFor } from './agentHealth'
export { counterLines, countersAsked, isInstalled } from './counter'
export { wantsShares } from './disk'
export { floorOf } from './log'
export { bitRateText } from './performance'
export { filesAsked } from './file'
export { processAsked } from './process'
export { silentIntervals } from './silence'
export { learningText, unusualAsked, usualBand, type UnusualAsked, type UsualBand } from './unusual'

/** The kind that judges series of a metric by what is usual for them; null: none does. */
export const unusualKindOf = (metric: MetricName): WatchKind | null =>
  [...watchKinds.values()].find(({ usual }) => usual === metric) ?? null

/** Whether a kind of watch is about what other devices see. */
export const isLookedAt = (kind: string): boolean => watchKinds.get(kind)?.looks !== undefined

/** What can be done about a post; null: nothing that an agent could do. */
export function actionOf(kind: string, values: Values, instance: string): ServiceAction | null {
  return watchKinds.get(kind)?.acts?.(values, instance) ?? null
}
