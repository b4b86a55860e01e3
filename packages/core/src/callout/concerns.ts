import { targets, type DeviceTraits } from '../estate'
import type { ClientId } from '../units'
import type { Subject } from '../watch'
import type { AlertCause, CalloutRule } from './rule'

/** What an alert is about. */
export interface AlertAbout {
  of: 'alerts'
  clientId: ClientId
  /** Its device; of a site’s line those that it carries. */
  devices: readonly DeviceTraits[]
  family: Subject
  cause: AlertCause
}

/** Whose people wrote a mail; null: nobody knows. */
export interface MailAbout {
  of: 'mail'
  clientId: ClientId | null
}

/** Whether a rule is about an alert, whatever its severity, or about a mail. */
export function calloutConcerns(rule: CalloutRule, about: AlertAbout | MailAbout): boolean {
  if (rule.about !== about.of || (rule.clientId !== null && rule.clientId !== about.clientId)) return false
  return (
    about.of === 'mail' ||
    ((rule.families === null || rule.families.includes(about.family)) &&
      (rule.causes === null || rule.causes.includes(about.cause)) &&
      about.devices.some((device) => targets(rule.target, device)))
  )
}
