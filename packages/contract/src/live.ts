import type { ClientId, DeviceId } from '#core'

/** What changed; a browser reads again what it shows of it. */
export interface LiveEvent {
  topic: 'reports' | 'alerts' | 'requests' | 'callouts' | 'policy' | 'windows' | 'estate' | 'people'
  /** Null: may concern every client. */
  clientIds: ClientId[] | null
  deviceIds: DeviceId[]
}
