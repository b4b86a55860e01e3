import type { Severity } from '../severity'
import type { Millis } from '../units'

/** What happens to an alert and counts for who is told. `touched`: whoever, as a person, did something with it. */
export type StoryEvent =
  | { at: Millis; is: 'severity'; severity: Severity }
  | { at: Millis; is: 'taken'; by: number }
  | { at: Millis; is: 'given-back' }
  | { at: Millis; is: 'touched' }
  | { at: Millis; is: 'promised'; until: Millis }
  | { at: Millis; is: 'well' }
  | { at: Millis; is: 'failing' }
  | { at: Millis; is: 'closed'; isWell: boolean }
  | { at: Millis; is: 'reopened'; keepsHolder: boolean }

/**
 * Why nobody is told for a time. `window`: maintenance covers its post; `carried`: it is a part of another alert;
 * `hidden`: somebody put it off; `paused`: the rule was.
 */
export const quietReasons = ['window', 'carried', 'hidden', 'paused'] as const
export type QuietReason = (typeof quietReasons)[number]

/** From (included) to until (not included); null: nobody knows yet. */
export interface Quiet {
  because: QuietReason
  from: Millis
  until: Millis | null
}

/** Everything that decides who is told of an alert, but for the rule. */
export interface AlertStory {
  /** Of the site: the clocks that the hours of rules go by. */
  zone: string
  /** When it was known, which is later than it began. */
  raisedAt: Millis
  severity: Severity
  /** What happened after that, in order of time. */
  events: readonly StoryEvent[]
  quiet: readonly Quiet[]
}
