import type { CollectorFailure } from '#contract'
import type { DaysOfDisks, UsualOfSeries } from '../store/series'
import type { DeviceIdentity } from './reports/identity'
import type {
  Collecting,
  DeviceState,
  DeviceTraits,
  EffectiveWatch,
  Facts,
  MaintenanceWindow,
  Millis,
  ProbeAsk,
} from '#core'

/** A device as the engine needs it: a copy of the database at `version` and `lastSeq`, and worthless at any others. */
export interface DeviceContext {
  traits: DeviceTraits
  name: string
  clientName: string
  siteName: string
  /** The clocks of its site. */
  zone: string
  keyDigest: Buffer
  interval: Millis
  lastSeq: number
  lastAt: Millis | null
  heardAt: Millis | null
  /** Of its first report; older log entries are no news. */
  firstAt: Millis | null
  /** Which runs of agents report, or did; see identity.ts. */
  identity: DeviceIdentity
  reportedInterval: Millis | null
  clockOffset: Millis
  failed: CollectorFailure[]
  version: number
  policyVersion: number
  facts: Facts
  state: DeviceState
  /** Marks of the rosters that its agent was told, and said that it works by. */
  rosterSent: string | null
  rosterConfirmed: string | null
  roster: readonly EffectiveWatch[]
  windows: readonly MaintenanceWindow[]
  /** What its agent collects beyond the ordinary. */
  collecting: Collecting
  /** What it is asked to look at on other devices. */
  probes: readonly ProbeAsk[]
  /** How full its disks were on the days before, and when that was read; null: none of its watches asks. */
  days: { readAt: Millis; of: DaysOfDisks } | null
  /** What is usual for its series, and when that was read; null: none of its watches judges by it. */
  usual: { readAt: Millis; of: UsualOfSeries } | null
}
