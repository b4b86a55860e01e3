import type { Values } from './parameter'

/** What evaluating a watch needs of it, however it came into force. */
export interface WatchInForce {
  key: string
  kind: string
  standing: 'active' | 'dormant' | 'left out'
  values: Values
}
