import type { Target } from '../estate'
import type { Severity } from '../severity'
import { hour, minute, type ClientId, type Millis } from '../units'
import type { Subject } from '../watch'

/** Who is told: a whole team, who of it is on call, a person, whoever leads and may see the client, another system. */
export type Recipient =
  | { to: 'team'; id: number }
  | { to: 'on-call'; id: number }
  | { to: 'person'; id: number }
  | { to: 'leads' }
  | { to: 'webhook'; id: number }

/** What an alert is about: the line of a site, a device that is not heard, or something that a watch sees. */
export const alertCauses = ['site', 'silence', 'watch'] as const
export type AlertCause = (typeof alertCauses)[number]

/** What becomes of what would be told outside of the hours of a rule. */
export const outsideHours = ['later', 'never'] as const
export type OutsideHours = (typeof outsideHours)[number]

/** What rules tell of: alerts, or what people of clients write by mail. */
export const calloutSubjects = ['alerts', 'mail'] as const
export type CalloutSubject = (typeof calloutSubjects)[number]

/**
 * Who is told about which alerts, or mail, when, and what happens if nobody acts. Mail is of a client and no more:
 * target, severities, families and causes are asked of alerts alone.
 */
export interface CalloutRule {
  about: CalloutSubject
  /** Whose alerts, or mail; null: of all clients, and of senders that nobody knows. */
  clientId: ClientId | null
  target: Target
  severities: Severity[]
  /** null: of any family. */
  families: Subject[] | null
  /** null: of any cause. */
  causes: AlertCause[] | null
  /** Hours of the week, as watches have them, on the clocks of the site; empty: always. */
  hours: string
  outside: OutsideHours
  tell: Recipient[]
  /** Told once it was open so long and nobody took it; 0: at once. */
  after: Millis
  /** Told again so often until somebody takes it; null: once. */
  again: Millis | null
  /** Told to these once it was told so long ago and nobody took it. */
  escalate: { after: Millis; tell: Recipient[] } | null
  /** Whoever has it is reminded when they did nothing with it for so long; null: never. */
  remindAfter: Millis | null
  /** Whoever was told is also told when it is well again. */
  sayWell: boolean
}

/** What the trade does; common practice, no source. */
export const usualCallout = {
  again: 30 * minute,
  escalateAfter: 40 * minute,
  remindAfter: 24 * hour,
  hours: 'Mon–Fri 08:00–20:00',
  /** Of mail: told once nobody took it for so long. */
  mailAfter: 30 * minute,
} as const

/** Told of one alert again at most so often; whoever has not acted on a hundred messages does not on the next. */
export const mostReminders = 100
