import type { EffectiveWatch } from '../policy'
import type { Millis } from '../units'
import { looksAt } from './hours'
import { watchKind } from './kinds'
import { silentIntervals } from './kinds/silence'
import { read, type Observation, type Observed } from './kind'
import type { Values } from './parameter'
import { advance, isAtRest, miss, type Judgement, type PostState, type Transition } from './post'

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
function withoutNamed(watch: EffectiveWatch, roster: readonly EffectiveWatch[]): Values {
  if (watch.kind !== 'service-state' || watch.values.which === 'named') return watch.values
  const named = roster.filter((one) => one.kind === 'service-state' && one.standing === 'active' && one.values.which === 'named').flatMap((one) => read.list(one.values, 'names'))
  return named.length ? { ...watch.values, except: [...read.list(watch.values, 'except'), ...named] } : watch.values
}

export interface Evaluated {
  state: DeviceState
  transitions: PostTransition[]
}

export function postKey(watch: string, instance: string): string {
  return `${watch}|${instance}`
}

export function splitPostKey(key: string): { watch: string; instance: string } {
  const cut = key.indexOf('|')
  return { watch: key.slice(0, cut), instance: key.slice(cut + 1) }
}

const gone: Omit<Observation, 'instance'> = { failing: [], well: true, evidence: () => ({ text: 'no longer there' }) }

/**
 * One moment of one device: every active watch of its roster looks at what was observed, every post takes its step. Pure
 * and deterministic; what is at rest is left out of the result. A post whose instance has gone from the device clears in
 * its clear time. `only` limits it to some watches, for a moment that is no report (the device is silent).
 */
export function evaluate(
  before: DeviceState,
  roster: readonly EffectiveWatch[],
  observed: Observed,
  previousInterval: Millis = observed.interval,
  only: (watch: EffectiveWatch) => boolean = () => true,
): Evaluated {
  const state = new Map(before)
  const transitions: PostTransition[] = []
  const reported = silentIntervals * Math.max(observed.interval, previousInterval)
  for (const watch of roster) {
    if (watch.standing !== 'active' || !only(watch)) continue
    const kind = watchKind(watch.kind)
    const gap = Math.max(reported, silentIntervals * (read.optional(watch.values, 'every') ?? 0))
    const prefix = `${watch.key}|`
    const kept = [...before.keys()].filter((key) => key.startsWith(prefix))
    const put = (key: string, step: { state: PostState; transitions: Transition[] }) => {
      if (isAtRest(step.state)) state.delete(key)
      else state.set(key, step.state)
      for (const one of step.transitions) transitions.push({ ...one, ...splitPostKey(key) })
    }
    if (kind.collector && observed.failed.includes(kind.collector)) {
      for (const key of kept) put(key, miss(before.get(key)!, observed.at, gap))
      continue
    }
    const hours = read.text(watch.values, 'hours')
    if (hours !== '' && !looksAt(hours, observed.at, observed.zone)) {
      // Nothing is known of the time between, so no hold goes on over it; what is open stays as it is.
      for (const key of kept) put(key, { state: { ...before.get(key)!, lastAt: observed.at, runs: {}, clearRun: null }, transitions: [] })
      continue
    }
    if (kind.collector && observed.rested?.includes(kind.collector)) {
      for (const key of kept) put(key, miss(before.get(key)!, observed.at, gap))
      continue
    }
    const judge: Judgement = { hold: (severity) => kind.hold(watch.values, severity), clearHold: kind.clearHold(watch.values), gap }
    const seen = kind.observe(withoutNamed(watch, roster), observed, (instance) => before.get(postKey(watch.key, instance))?.memo)
    const seenKeys = new Set<string>()
    for (const one of seen) {
      const key = postKey(watch.key, one.instance)
      seenKeys.add(key)
      const was = before.get(key) ?? null
      // At rest and still well: nothing to do, and by far the most frequent case.
      if (was === null && one.failing.length === 0 && one.memo === undefined) continue
      put(key, advance(was, one, observed.at, judge))
    }
    for (const key of kept)
      if (!seenKeys.has(key)) put(key, advance(before.get(key)!, { instance: splitPostKey(key).instance, ...gone }, observed.at, judge))
  }
  return { state, transitions }
}
