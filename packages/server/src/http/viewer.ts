import type { AccessLevel } from '#contract'
import type { ClientId } from '#core'

/** Who looks. `clientIds` null: every client. Every query about clients takes it. */
export interface Viewer {
  id: number
  name: string
  email: string
  access: AccessLevel
  clientIds: ClientId[] | null
  lookedAt: number
  /** Nothing but setting up a second factor is open to them. */
  isFactorDue: boolean
  /** Of a program that asks in their name. */
  token?: { name: string }
}
