import type { DeviceTraits, RosterChange } from '#core'

/** What differs for one device between two policies. */
export type DeviceChange = RosterChange<DeviceTraits>
