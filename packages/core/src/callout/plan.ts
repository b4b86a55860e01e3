import { urgency, type Severity } from '../severity'
import type { Millis } from '../units'
import { hoursTurn, readHours, withinHours, type Hours } from '../watch'
import { mostReminders, type CalloutRule } from './rule'
import type { AlertStory, Quiet, StoryEvent } from './story'

/**
 * What is said. `tell`: it is there; `worse`: it rose since; `again`: nobody took it; `escalate`: nobody took it, to
 * others; `untouched`: to whoever has it; `well`: to whoever was told.
 */
export const calloutSteps = ['tell', 'worse', 'again', 'escalate', 'untouched', 'well'] as const
export type CalloutStepKind = (typeof calloutSteps)[number]

export interface CalloutStep {
  step: CalloutStepKind
  /** Which one of its kind, from 1. */
  n: number
  at: Millis
  severity: Severity
  /** Whoever has it, of *untouched*. */
  holder: number | null
  /** What kept it quiet since the step before. */
  after: Quiet[]
}

export interface CalloutPlan {
  /** Up to and including `until`, in order of time. */
  steps: CalloutStep[]
  /** When the next one is due if nothing happens, or when to look again; null: none without something happening. */
  next: Millis | null
}

type Terms = Pick<
  CalloutRule,
  'about' | 'severities' | 'hours' | 'outside' | 'after' | 'again' | 'escalate' | 'remindAfter' | 'sayWell'
>

/** Beyond this many turns of the hours without a step one looks again. */
const mostTurnsAhead = 20
/** Nothing is followed for longer: some years of hours of a working day. */
const mostTurns = 3000

/**
 * Who is to be told what of an alert under a rule that concerns it, and when. It knows nothing but the story: asked at
 * any time, about any time, it says the same, so that what a server decides live is what a rehearsal shows.
 *
 * Clocks stand still while it is quiet and outside of the rule's hours. What falls due then is said when that ends, if
 * it is still so. A rule says nothing of what was taken before it was due, and nothing that is over.
 *
 * @param until steps up to this time
 * @example
 * planCallout({ ...rule, after: 0, again: 30 * minute },
 *   { zone: 'UTC', raisedAt: 0, severity: 'critical', events: [], quiet: [] }, 45 * minute)
 * // steps: tell at 0, again at 30 min; next: 60 min
 */
export function planCallout(rule: Terms, story: AlertStory, until: Millis): CalloutPlan {
  return new Walk(rule, story, until).walk()
}

class Walk {
  private readonly steps: CalloutStep[] = []
  private next: Millis | null = null
  private readonly hours: Hours | null
  private readonly counts = new Map<CalloutStepKind, number>()
  private turns = 0

  private severity: Severity
  private isOpen = true
  private isWell = false
  private holder: number | null = null
  private promised: Millis | null = null
  /** As it was told last; null: nobody was, this time. */
  private told: Severity | null = null
  private lastSaid: Millis
  private wasSkipped = false
  private isWellDue = false
  private hasEscalated = false
  /** Clocks: until it is told, since nobody has it, since whoever has it did something. */
  private untold = 0
  private untaken = 0
  private untouched = 0
  private dueAgain: Millis

  constructor(
    private readonly rule: Terms,
    private readonly story: AlertStory,
    private readonly until: Millis,
  ) {
    this.hours = rule.hours === '' ? null : readHours(rule.hours)
    this.severity = story.severity
    this.lastSaid = story.raisedAt
    this.dueAgain = rule.again ?? Infinity
  }

  walk(): CalloutPlan {
    const { raisedAt, events } = this.story
    const promises = events.flatMap((event) => (event.is === 'promised' ? [event.until] : []))
    const edges = [
      ...events.map(({ at }) => at),
      ...this.story.quiet.flatMap(({ from, until }) => (until === null ? [from] : [from, until])),
      ...promises,
    ]
      .filter((at) => at > raisedAt)
      .toSorted((a, b) => a - b)
    let done = 0
    let from = raisedAt
    for (const to of [...edges, Infinity]) {
      if (to <= from && to !== Infinity) continue
      while (done < events.length && events[done]!.at <= from) this.happen(events[done++]!)
      if (!this.span(from, to)) break
      from = to
    }
    return { steps: this.steps, next: this.next }
  }

  private happen(event: StoryEvent): void {
    switch (event.is) {
      case 'severity':
        this.severity = event.severity
        return
      case 'taken':
        this.holder = event.by
        this.untouched = 0
        this.promised = null
        return
      case 'given-back':
        this.holder = null
        this.promised = null
        this.untaken = 0
        this.hasEscalated = false
        this.dueAgain = this.rule.again ?? Infinity
        return
      case 'touched':
        this.untouched = 0
        return
      case 'promised':
        this.untouched = 0
        this.promised = event.until
        return
      case 'well':
        this.isWell = true
        return
      case 'failing':
        this.isWell = false
        return
      case 'closed':
        this.isOpen = false
        this.isWellDue = event.isWell && this.told !== null && this.rule.sayWell
        if (!this.isWellDue) this.told = null
        return
      case 'reopened':
        this.reopen(event.keepsHolder)
    }
  }

  private reopen(keepsHolder: boolean): void {
    this.isOpen = true
    this.isWell = false
    // Where nobody heard that it was well, it has been there all the time.
    this.isWellDue = false
    this.wasSkipped = false
    this.untold = 0
    this.untaken = 0
    this.untouched = 0
    this.hasEscalated = false
    this.dueAgain = this.rule.again ?? Infinity
    if (!keepsHolder) this.holder = null
  }

  /** A time in which nothing happens. @returns false: what is left is not to be looked at */
  private span(from: Millis, to: Millis): boolean {
    const isQuiet = this.story.quiet.some((quiet) => quiet.from <= from && (quiet.until === null || quiet.until > from))
    let at = from
    let ahead = 0
    while (at < to) {
      if (isQuiet || !this.awaits()) return true
      const isInHours = this.hours === null || withinHours(this.hours, at, this.story.zone)
      const turn = this.hours === null ? null : hoursTurn(this.hours, at, this.story.zone)
      const end = Math.min(to, turn ?? Infinity)
      if (isInHours) {
        if (!this.active(at, end)) return false
      } else if (this.isUntold() && this.rule.outside === 'never') this.wasSkipped = true
      if (end === Infinity) return true
      at = end
      if (++this.turns > mostTurns) return false
      if (at > this.until && ++ahead > mostTurnsAhead) {
        this.next = at
        return false
      }
    }
    return true
  }

  private concerns(): boolean {
    return this.rule.about === 'mail' || this.rule.severities.includes(this.severity)
  }
  private isUntold(): boolean {
    return (
      this.isOpen && !this.isWell && this.told === null && !this.wasSkipped && this.holder === null && this.concerns()
    )
  }
  private isWaiting(): boolean {
    return this.isOpen && !this.isWell && this.told !== null && this.holder === null && this.concerns()
  }
  private isWorse(): boolean {
    return this.isOpen && this.told !== null && this.concerns() && urgency(this.severity) > urgency(this.told)
  }
  private isHeld(): boolean {
    return this.isOpen && this.holder !== null && this.concerns() && this.rule.remindAfter !== null
  }

  /** Whether anything can fall due as it is now. */
  private awaits(): boolean {
    return (
      this.isWellDue ||
      this.isUntold() ||
      this.isWorse() ||
      this.isHeld() ||
      (this.isWaiting() && (this.dueAgain < Infinity || (this.rule.escalate !== null && !this.hasEscalated)))
    )
  }

  /** What is due next, and how long from now if its clock runs. */
  private dueNext(at: Millis): { step: CalloutStepKind; within: Millis } | null {
    const due: { step: CalloutStepKind; within: Millis }[] = []
    if (this.isWellDue) due.push({ step: 'well', within: 0 })
    if (this.isUntold()) due.push({ step: 'tell', within: this.rule.after - this.untold })
    if (this.isWorse()) due.push({ step: 'worse', within: 0 })
    if (this.isWaiting()) {
      if (this.rule.escalate && !this.hasEscalated)
        due.push({ step: 'escalate', within: this.rule.escalate.after - this.untaken })
      if (this.dueAgain < Infinity) due.push({ step: 'again', within: this.dueAgain - this.untaken })
    }
    // Whoever said that they would look again is left alone until then, and reminded at that time.
    if (this.isHeld())
      due.push({
        step: 'untouched',
        within: this.promised === null ? this.rule.remindAfter! - this.untouched : Math.max(0, this.promised - at),
      })
    return due.length ? due.reduce((first, next) => (next.within < first.within ? next : first)) : null
  }

  /** Clocks run from `at` to `end`. @returns false once the next step lies after `until` */
  private active(at: Millis, end: Millis): boolean {
    for (;;) {
      const due = this.dueNext(at)
      const reached = due === null ? end : Math.max(at, at + due.within)
      const isDue = due !== null && reached < end
      if (!isDue) {
        if (end !== Infinity) this.run(end - at)
        return true
      }
      this.run(reached - at)
      at = reached
      if (at > this.until) {
        this.next = at
        return false
      }
      this.say(due.step, at)
    }
  }

  private run(time: Millis): void {
    if (this.isUntold()) this.untold += time
    if (this.isWaiting()) this.untaken += time
    if (this.isHeld()) this.untouched += time
  }

  private say(step: CalloutStepKind, at: Millis): void {
    const n = (this.counts.get(step) ?? 0) + 1
    this.counts.set(step, n)
    const after = this.story.quiet.filter(
      ({ from, until }) => until !== null && until <= at && until > this.lastSaid && from < at,
    )
    this.steps.push({
      step,
      n,
      at,
      severity: this.severity,
      holder: step === 'untouched' ? this.holder : null,
      after,
    })
    this.lastSaid = at
    switch (step) {
      case 'tell':
        this.told = this.severity
        this.untaken = 0
        this.dueAgain = this.rule.again ?? Infinity
        return
      case 'worse':
        this.told = this.severity
        return
      case 'again':
        this.dueAgain = n >= mostReminders ? Infinity : this.dueAgain + this.rule.again!
        return
      case 'escalate':
        this.hasEscalated = true
        return
      case 'untouched':
        this.untouched = 0
        this.promised = null
        return
      case 'well':
        this.isWellDue = false
        this.told = null
    }
  }
}
