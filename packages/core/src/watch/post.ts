import { severities, urgency, type Severity } from '../severity'
import type { Millis } from '../units'
import type { Evidence, Hold, Observation } from './kind'

/** A run of checks for which a condition was true without a gap. */
interface Run {
  since: Millis
  checks: number
}

/** What one post remembers between checks. */
export interface PostState {
  /** What this is the state of (see `markOf`): when the watch asks something else, it says nothing any more. */
  of?: string
  /** The last check that said something. */
  lastAt: Millis
  /** The level that holds. */
  level: Severity | null
  /** The true beginning: the first failing check of the run that raised it. */
  began: Millis | null
  /** For each level whose condition is true, since when. */
  runs: Partial<Record<Severity, Run>>
  clearRun: Run | null
  /** No check for longer than 2.5 intervals. */
  silent: boolean
  memo?: unknown
  /** What was seen last while it failed. */
  evidence?: Evidence
}

export type TransitionKind = 'raised' | 'changed' | 'cleared' | 'silent' | 'heard'

export interface Transition {
  at: Millis
  kind: TransitionKind
  from: Severity | null
  to: Severity | null
  began: Millis | null
  evidence: Evidence | null
}

/** How a post is judged: hold of each level, hold of clearing, and the gap after which nothing is known. */
export interface Judgement {
  hold(severity: Severity): Hold
  clearHold: Hold
  /** Longest time between two checks that still counts as without a gap. */
  gap: Millis
  /** What the state is of; see `markOf`. */
  of?: string
}

export function freshPost(at: Millis): PostState {
  return { lastAt: at, level: null, began: null, runs: {}, clearRun: null, silent: false }
}

/** Well, with nothing to remember: such a state need not be kept. */
export function isAtRest(state: PostState): boolean {
  return isQuiet(state) && state.memo === undefined
}

/** Well, whatever it remembers. */
export function isQuiet({ level, runs, silent }: PostState): boolean {
  return level === null && Object.keys(runs).length === 0 && !silent
}

function extend(run: Run | null | undefined, since: Millis): Run {
  return run ? { since: Math.min(run.since, since), checks: run.checks + 1 } : { since, checks: 1 }
}

function holds(run: Run | undefined | null, hold: Hold, at: Millis): boolean {
  if (!run) return false
  return 'for' in hold ? at - run.since >= hold.for : run.checks >= hold.checks
}

/**
 * One step of a post: pure, and blind to the clock. A check no later than the last one changes nothing. A gap starts
 * every hold anew, so it can neither raise nor clear. The post has the highest level that holds; between the levels and
 * the clear condition it stays as it is.
 */
export function advance(
  before: PostState | null,
  seen: Observation,
  at: Millis,
  judge: Judgement,
): { state: PostState; transitions: Transition[] } {
  const state = before ?? freshPost(at)
  if (before && at <= before.lastAt) return { state: before, transitions: [] }
  const transitions: Transition[] = []
  const afterGap = at - state.lastAt > judge.gap
  const runs: PostState['runs'] = {}
  for (const severity of seen.failing) runs[severity] = extend(afterGap ? null : state.runs[severity], seen.since ?? at)
  const clearRun = seen.well ? extend(afterGap ? null : state.clearRun, at) : null

  const isHeld = (severity: Severity) =>
    (seen.lasted && seen.failing.includes(severity)) || holds(runs[severity], judge.hold(severity), at)
  const holding = severities.filter(isHeld).at(-1) ?? null
  let { level, began } = state
  const note = (kind: TransitionKind, from: Severity | null, to: Severity | null) =>
    transitions.push({ at, kind, from, to, began, evidence: seen.evidence() })
  if (state.silent) note('heard', level, level)
  if (level === null && holding !== null) {
    began = Math.min(...seen.failing.map((severity) => runs[severity]!.since))
    level = holding
    note('raised', null, level)
  } else if (level !== null && holding !== null && holding !== level) {
    // Rising needs the higher level's own hold; falling needs only that the higher one is no longer true.
    if (urgency(holding) > urgency(level) || !seen.failing.includes(level)) {
      const from = level
      level = holding
      note('changed', from, level)
    }
  } else if (level !== null && holds(clearRun, judge.clearHold, at)) {
    const from = level
    level = null
    note('cleared', from, null)
    began = null
  }
  const next: PostState = {
    ...(judge.of === undefined ? {} : { of: judge.of }),
    lastAt: at,
    level,
    began,
    runs,
    clearRun: level === null ? null : clearRun,
    silent: false,
  }
  if (seen.memo !== undefined) next.memo = seen.memo
  if (level !== null) next.evidence = seen.failing.length ? seen.evidence() : (state.evidence ?? seen.evidence())
  return { state: next, transitions }
}

/** No check came for this post: after a gap it counts as silent, and keeps its level. */
export function miss(state: PostState, at: Millis, gap: Millis): { state: PostState; transitions: Transition[] } {
  if (state.silent || at - state.lastAt <= gap) return { state, transitions: [] }
  return {
    state: { ...state, runs: {}, clearRun: null, silent: true },
    transitions: [{ at, kind: 'silent', from: state.level, to: state.level, began: state.began, evidence: null }],
  }
}
