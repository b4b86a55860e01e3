import { targets, type DeviceTraits } from '../estate'
import type { ClientId } from '../units'
import type { Subject } from '../watch'
import type { AlertCause, CalloutRule } from './rule'

/** What an alert is about. */
export interface AlertAbout {
  clientId: ClientId
  /** Its device; of a site’s line those that it carries. */
  devices: readonly DeviceTraits[]
  family: Subject
  cause: AlertCause
}

/** Whether a rule is about an alert, whatever its severity. */
export function calloutConcerns(rule: CalloutRule, about: AlertAbout): boolean {
  return (
    (rule.clientId === null || rule.clientId === about.clientId) &&
    (rule.families === null || rule.families.includes(about.family)) &&
    (rule.causes === null || rule.causes.includes(about.cause)) &&
    about.devices.some((device) => targets(rule.target, device))
  )
}
