import type { Millis } from '../units'
import { looksAt } from './hours'
import type { WatchInForce } from './inForce'
import { isLookedAt, watchKind } from './kinds'
import { silentIntervals } from './kinds/silence'
import { read, type Observation, type Observed, type WatchKind } from './kind'
import type { Values } from './parameter'
import { advance, freshPost, isAtRest, isQuiet, miss, type Judgement, type PostState, type Transition } from './post'
import { markOf, stateFor } from './stateOf'

/** The states of a device's posts that are not at rest, by `watch key|instance`. */
export type DeviceState = ReadonlyMap<string, PostState>

export interface PostTransition extends Transition {
  watch: string
  instance: string
}

/**
 * A service that one watch names is that watch's alone: the ones that look at every service leave it out, so that one
 * stopped service is one post and one alert.
 */
export function withoutNamed(watch: WatchInForce, roster: readonly WatchInForce[]): Values {
  if (watch.kind !== 'service-state' || watch.values.which === 'named') return watch.values
  const named = roster
    .filter((watch) => watch.kind === 'service-state' && watch.standing === 'active' && watch.values.which === 'named')
    .flatMap((watch) => read.list(watch.values, 'names'))
  return named.length ? { ...watch.values, except: [...read.list(watch.values, 'except'), ...named] } : watch.values
}

/** A watch that could not be evaluated; its posts stay as they were, and the others count. */
export interface BrokenWatch {
  watch: string
  reason: string
}

export interface Evaluated {
  state: DeviceState
  transitions: PostTransition[]
  broken: BrokenWatch[]
}

/**
 * The one name of a post on its device: `postKey('disk.space', '/var')` is *disk.space|/var*. A watch's key holds no
 * bar; an instance may, and is empty where a watch has only one post.
 */
export function postKey(watch: string, instance: string): string {
  return `${watch}|${instance}`
}

/** What `postKey` was made of. */
export function splitPostKey(key: string): { watch: string; instance: string } {
  const cut = key.indexOf('|')
  return { watch: key.slice(0, cut), instance: key.slice(cut + 1) }
}

const gone: Omit<Observation, 'instance'> = { failing: [], well: true, evidence: () => ({ text: 'no longer there' }) }

/**
 * One moment of one device: every active watch of its roster looks at what was observed, every post takes its step.
 * Pure and deterministic; what is at rest is left out of the result. A post whose instance the facts say is gone
 * clears in its clear time; one that merely was not seen keeps its level. A watch that throws costs only itself.
 * `only` limits it to some watches, for a moment that is no report (the device is silent).
 */
export function evaluate(
  before: DeviceState,
  roster: readonly WatchInForce[],
  observed: Observed,
  previousInterval: Millis = observed.interval,
  only: (watch: WatchInForce) => boolean = () => true,
): Evaluated {
  const state = new Map(before)
  const transitions: PostTransition[] = []
  const broken: BrokenWatch[] = []
  const reported = silentIntervals * Math.max(observed.interval, previousInterval)
  const keysOf = groupByWatch(before)
  for (const watch of roster) {
    if (watch.standing !== 'active' || !only(watch)) continue
    // What other devices see of it comes at moments of its own.
    if (isLookedAt(watch.kind) !== (observed.looks !== undefined)) continue
    try {
      const gap = Math.max(reported, silentIntervals * (read.optional(watch.values, 'every') ?? 0))
      for (const [key, step] of stepsOf(watch, roster, observed, keysOf.get(watch.key) ?? [], before, gap)) {
        if (isAtRest(step.state)) state.delete(key)
        else state.set(key, step.state)
        for (const transition of step.transitions) transitions.push({ ...transition, ...splitPostKey(key) })
      }
    } catch (error) {
      broken.push({ watch: watch.key, reason: (error as Error).message })
    }
  }
  return { state, transitions, broken }
}

function groupByWatch(state: DeviceState): Map<string, string[]> {
  const groups = new Map<string, string[]>()
  for (const key of state.keys()) {
    const { watch } = splitPostKey(key)
    const group = groups.get(watch)
    if (group) group.push(key)
    else groups.set(watch, [key])
  }
  return groups
}

type Step = [key: string, step: { state: PostState; transitions: Transition[] }]

/** What one watch makes of its posts. @param kept keys of its posts that have a state */
function stepsOf(
  watch: WatchInForce,
  roster: readonly WatchInForce[],
  observed: Observed,
  kept: readonly string[],
  before: DeviceState,
  gap: Millis,
): Step[] {
  const kind = watchKind(watch.kind)
  const { collector } = kind
  const stateAt = (key: string): PostState | null => stateFor(watch, before.get(key) ?? null)
  const missed = (state: PostState) => {
    if (!kind.reach || !isQuiet(state)) return miss(state, observed.at, gap)
    // One that is well and remembers how it was is not missed: after a gap it begins anew.
    return { state: observed.at - state.lastAt > gap ? forgetful(state) : state, transitions: [] }
  }
  const missing = () => kept.map((key): Step => [key, missed(before.get(key)!)])
  if (collector && observed.failed.includes(collector)) return missing()
  const hours = read.text(watch.values, 'hours')
  if (hours !== '' && !looksAt(hours, observed.at, observed.zone))
    return outsideHours(watch, kind, observed, kept, before)
  if (collector && observed.rested?.includes(collector)) return missing()
  const judge: Judgement = {
    hold: (severity) => kind.hold(watch.values, severity),
    clearHold: kind.clearHold(watch.values),
    gap,
    of: markOf(watch),
  }
  const values = withoutNamed(watch, roster)
  const seenKeys = new Set<string>()
  const steps: Step[] = []
  for (const observation of kind.observe(values, observed, (instance) => stateAt(postKey(watch.key, instance))?.memo)) {
    const key = postKey(watch.key, observation.instance)
    seenKeys.add(key)
    const was = stateAt(key)
    // At rest and still well: nothing to do, and by far the most frequent case.
    if (was === null && observation.failing.length === 0 && observation.memo === undefined && !before.has(key)) continue
    steps.push([key, advance(was, observation, observed.at, judge)])
  }
  for (const key of kept) {
    if (seenKeys.has(key)) continue
    const was = stateAt(key)
    const { instance } = splitPostKey(key)
    // State of another kind of watch says nothing here, and so there is no such post.
    const isGone = was === null || (kind.gone?.(values, observed, instance) ?? false)
    steps.push([key, isGone ? advance(was, { instance, ...gone }, observed.at, judge) : missed(was)])
  }
  return steps
}

const forgetful = ({ memo: _forgotten, ...rest }: PostState): PostState => rest

/**
 * Nothing is known of the time between, so no hold goes on over it; what is open stays as it is, and only memories
 * grow.
 */
function outsideHours(
  watch: WatchInForce,
  kind: WatchKind,
  observed: Observed,
  kept: readonly string[],
  before: DeviceState,
): Step[] {
  const paused = new Map<string, PostState>(
    kept.map((key) => {
      const state = { ...before.get(key)!, lastAt: observed.at, runs: {}, clearRun: null }
      return [key, kind.reach && isQuiet(state) ? forgetful(state) : state]
    }),
  )
  const deaf = kind.collector !== null && observed.rested?.includes(kind.collector)
  if (kind.remembersAlways && !deaf)
    for (const observation of kind.observe(
      watch.values,
      observed,
      (instance) => stateFor(watch, before.get(postKey(watch.key, instance)) ?? null)?.memo,
    )) {
      const key = postKey(watch.key, observation.instance)
      if (observation.memo !== undefined)
        paused.set(key, { ...(paused.get(key) ?? freshPost(observed.at)), of: markOf(watch), memo: observation.memo })
    }
  return [...paused].map(([key, state]) => [key, { state, transitions: [] }])
}
