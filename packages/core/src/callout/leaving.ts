import type { Millis } from '../units'
import type { CalloutStepKind } from './plan'
import type { AlertStory } from './story'

/** How an alert stands at a time, as far as its story tells. */
export interface AlertStanding {
  isOpen: boolean
  holder: number | null
  isQuiet: boolean
}

export function standingAt({ events, quiet }: Pick<AlertStory, 'events' | 'quiet'>, at: Millis): AlertStanding {
  let isOpen = true
  let holder: number | null = null
  for (const event of events) {
    if (event.at > at) break
    if (event.is === 'taken') holder = event.by
    if (event.is === 'given-back') holder = null
    if (event.is === 'closed') isOpen = false
    if (event.is === 'reopened') {
      isOpen = true
      if (!event.keepsHolder) holder = null
    }
  }
  const isQuiet = quiet.some(({ from, until }) => from <= at && (until === null || until > at))
  return { isOpen, holder, isQuiet }
}

/**
 * Whether what was decided is still to be said as it leaves. `over`: not any more; `later`: not while it is quiet.
 * @param holder whom a step *untouched* is about
 * @param wasTold somebody has heard, or may have, that it was there
 */
export function stillToSay(
  step: CalloutStepKind,
  holder: number | null,
  now: AlertStanding,
  wasTold: boolean,
): 'now' | 'later' | 'over' {
  const isSo = {
    tell: now.isOpen && now.holder === null,
    again: now.isOpen && now.holder === null,
    escalate: now.isOpen && now.holder === null,
    worse: now.isOpen,
    untouched: now.isOpen && now.holder === holder,
    well: !now.isOpen && wasTold,
  }[step]
  if (!isSo) return 'over'
  return now.isQuiet ? 'later' : 'now'
}
