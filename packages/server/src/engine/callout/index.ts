import { minute, second, type Millis } from '#core'
import type { Pool } from '../../db'
import type { Job } from '../timers'
import { decideCallouts } from './decide'
import { decideDigests } from './digest'
import { tellOfFailingWays } from './houseTold'
import { sendMessages, type Sending } from './send'

export { addressees, onCallOf, readRoll, startsOf, type Addressee, type Roll } from './people'
export { MailLine, sendEvent } from './deliver'
export { testEvent } from './event'
export { lookAtAll, planOf } from './decide'
export { calloutSettings } from './outbox'
export { rulesInForce, type RuleInForce } from './rules'
export { mailPasswordContext, readMailSettings, webhookContext, type Sending } from './send'
export { readStories } from './stories'
export { readSubjects, type Subject, type Told } from './subjects'

/** Who is told is decided, and messages leave. */
export function calloutJobs(pool: Pool, sending: Sending): Job[] {
  return [
    { name: 'call-outs', every: second / 2, work: (now: Millis) => decideCallouts(pool, now) },
    { name: 'digests', every: minute / 2, work: (now: Millis) => decideDigests(pool, now) },
    {
      name: 'failing ways',
      every: minute,
      work: (now: Millis) => tellOfFailingWays(pool, sending.origin, now),
    },
    { name: 'messages', every: second / 2, work: () => sendMessages(pool, sending) },
  ]
}
