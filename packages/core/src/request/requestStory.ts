import type { AlertStory, Quiet, StoryEvent } from '../callout'
import type { Millis } from '../units'
import type { RequestEvent } from './codes'

export interface RequestPast {
  at: Millis
  event: RequestEvent
  person: number | null
  /** Of *hidden*: until when. */
  until: Millis | null
}

/** Events that show again what somebody had put off. */
const shows: ReadonlySet<RequestEvent> = new Set(['shown', 'taken', 'handed-over', 'answered', 'closed', 'reopened'])

/**
 * What decides who is told of a request, from all that happened to it, in order of time. It has no severity of its own:
 * rules about mail do not ask for one.
 */
export function requestStory(cameAt: Millis, past: readonly RequestPast[], zone: string): AlertStory {
  const events: StoryEvent[] = []
  const quiet: Quiet[] = []
  let hidden: Quiet | null = null
  for (const { at, event, person, until } of past) {
    if (shows.has(event) && hidden && (hidden.until === null || hidden.until > at)) hidden.until = at
    if (shows.has(event)) hidden = null
    if (event === 'hidden') quiet.push((hidden = { because: 'hidden', from: at, until: until ?? at }))
    else if (event === 'taken' && person !== null) events.push({ at, is: 'taken', by: person })
    else if (event === 'given-back') events.push({ at, is: 'given-back' })
    else if (event === 'closed') events.push({ at, is: 'closed', isWell: false })
    else if (event === 'reopened') events.push({ at, is: 'reopened', keepsHolder: false })
    else if (person !== null) events.push({ at, is: 'touched' })
  }
  return { zone, raisedAt: cameAt, severity: 'warning', events, quiet }
}
