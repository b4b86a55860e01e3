import type { EffectiveWatch } from '../policy'
import { hour, minute, type Millis } from '../units'
import { actionOf, watchKind, type PostState, type ServiceAction } from '../watch'

/** What a watch has done before a person is told. */
export interface Response {
  action: ServiceAction
  /** Attempts within an hour; more of them would hide that it does not stay. */
  times: number
  /** What a try is given to show. */
  wait: Millis
}

/** One go at it. */
export interface Attempt {
  at: Millis
  state: 'asked' | 'done' | 'failed'
  endedAt: Millis | null
  /** It failed for a reason that another try would meet again, such as missing rights. */
  hopeless: boolean
}

export type RemediationStep = { next: 'attempt' } | { next: 'wait'; until: Millis } | { next: 'escalate' }

/** Attempts older than this are forgotten, unless they are of the trouble that is being tried. */
export const attemptsCountFor: Millis = hour
/** An agent that has not answered by then counts as one that could not. */
export const answerWithin: Millis = 2 * minute

/** What a watch does about one of its posts by itself; null: nothing. */
export function responseOf(watch: Pick<EffectiveWatch, 'kind' | 'values'>, instance: string): Response | null {
  const action = actionOf(watch.kind, watch.values, instance)
  const { tries: times, 'tries.wait': wait } = watch.values
  return action && typeof times === 'number' && typeof wait === 'number' ? { action, times, wait } : null
}

/** What a person may ask for about a post, the likeliest first. */
export function actionsFor(watch: Pick<EffectiveWatch, 'kind' | 'values'>, instance: string): ServiceAction[] {
  const action = actionOf(watch.kind, watch.values, instance)
  if (!action) return []
  return watchKind(watch.kind).subject === 'service' && action.verb === 'start'
    ? [action, { ...action, verb: 'restart' }]
    : [action]
}

/** How long after a try's time something must have been seen of the post; without, nobody knows whether it helped. */
const evidenceWithin: Millis = 5 * minute
/** No trouble is kept from a person for longer, whatever its tries are given. */
export const longestRemediation: Millis = 2 * hour

/** How long a trouble may be tried, all in all, before a person is told. */
function patienceFor({ times, wait }: Pick<Response, 'times' | 'wait'>): Millis {
  return Math.min(longestRemediation, times * (answerWithin + wait) + evidenceWithin)
}

/**
 * A trouble that is being tried: when that began, when its device was last heard, and how long it, or the post, may say
 * nothing.
 */
export interface Trouble {
  startedAt: Millis
  heardAt: Millis
  gap: Millis
}

/**
 * What comes next for a post that failed and that nobody was told of yet. A try is judged only by what was seen after
 * it, and not before its time is over; a post that is well and only waits for its clear time is left alone. What
 * cannot be judged any more, and what takes longer than its tries together, goes to a person.
 * @param attempts of the last hour, and of this trouble, in any order
 */
export function remediationStep(
  response: Pick<Response, 'times' | 'wait'>,
  attempts: readonly Attempt[],
  post: Pick<PostState, 'runs' | 'lastAt' | 'silent'>,
  { startedAt, heardAt, gap }: Trouble,
  now: Millis,
): RemediationStep {
  const { times, wait } = response
  const patience = startedAt + patienceFor(response)
  const isUnseen = post.silent && now - post.lastAt > gap
  if (now >= patience || isUnseen || now - heardAt > gap) return { next: 'escalate' }
  const until = (at: Millis): RemediationStep => ({ next: 'wait', until: Math.min(at, patience) })
  const counted = attempts.filter((attempt) => now - attempt.at < attemptsCountFor || attempt.at >= startedAt)
  const last = counted.reduce<Attempt | null>(
    (newest, attempt) => (newest === null || attempt.at >= newest.at ? attempt : newest),
    null,
  )
  if (last) {
    if (last.hopeless) return { next: 'escalate' }
    const shown = last.endedAt === null ? last.at + answerWithin : last.endedAt + wait
    if (now < shown) return until(shown)
    if (last.endedAt !== null && post.lastAt <= last.endedAt)
      return now < shown + evidenceWithin ? until(Math.min(now + wait, shown + evidenceWithin)) : { next: 'escalate' }
  }
  if (Object.keys(post.runs).length === 0) return until(now + wait)
  return counted.length < times ? { next: 'attempt' } : { next: 'escalate' }
}
