import type { DeviceTraits } from '../estate'
import { isNamed, windowEnd, type MaintenanceWindow } from '../maintenance'
import type { Roster, Source } from '../policy'
import { mostUrgent, type Severity } from '../severity'
import type { Millis } from '../units'
import {
  looksAt,
  silentIntervals,
  watchKind,
  withoutNamed,
  type Collector,
  type Evidence,
  type Observed,
} from '../watch'
import { read } from '../watch/kind'

/** What was known, at one moment, of one post and of all that decides about it; each as it was then. */
export interface PostPast {
  at: Millis
  device: DeviceTraits
  roster: Roster
  watch: string
  instance: string
  /** Of the newest report until then; null: none is kept. */
  observed: Observed | null
  /** What the evaluation had come to; null: nothing but well. */
  level: { level: Severity; began: Millis; since: Millis; evidence: Evidence | null } | null
  /** Windows that were in force and reach the device. */
  windows: readonly MaintenanceWindow[]
  held: { window: number; since: Millis } | null
  tried: { since: Millis; until: Millis | null } | null
  /** The alert that was open; `carrier`: what carried it. */
  alert: { id: number; since: Millis; carrier: number | null } | null
  /** Closed by hand, and neither well nor worse since. */
  dismissed: { id: number; since: Millis } | null
}

/** Which step it is; the words are made where they are read. */
export type WhyCode =
  | 'not-watched'
  | 'left-out'
  | 'dormant'
  | 'watched'
  | 'no-reading'
  | 'unheard'
  | 'collector-failed'
  | 'outside-hours'
  | 'no-such-instance'
  | 'well'
  | 'undecided'
  | 'failing'
  | 'remembered'
  | 'not-seen'
  | 'not-long-enough'
  | 'long-enough'
  | 'clearing'
  | 'dismissed'
  | 'tried'
  | 'trying'
  | 'not-covered'
  | 'not-named'
  | 'held'
  | 'carried'
  | 'alert'
  | 'no-alert'
  | 'told'
  | 'not-told'

/** One step of why there was an alert, or was none. */
export interface WhyStep {
  code: WhyCode
  /** It goes on after it; it ends here; or it only says how it was. */
  result: 'passed' | 'stopped' | 'noted'
  at: Millis | null
  /** Until when, where that was known. */
  until: Millis | null
  /** How long it took, or has to take. */
  length: Millis | null
  text: string
  severity: Severity | null
  /** Of a window or an alert. */
  id: number | null
  sources: Source[]
  collector: Collector | null
}

type Told = Partial<WhyStep> & Pick<WhyStep, 'code' | 'result'>
const step = (told: Told): WhyStep => ({
  at: null,
  until: null,
  length: null,
  text: '',
  severity: null,
  id: null,
  sources: [],
  collector: null,
  ...told,
})

/**
 * Why there was an alert about a post at a moment, or was none: each thing that decided it, in the order in which it
 * did, up to the one that ended it. Computed from what was true then, never from what is today. The last step is
 * *alert*, *carried* or *no-alert*; the one before it says by what.
 */
export function why(past: PostPast): WhyStep[] {
  const steps: WhyStep[] = []
  const add = (told: Told) => steps.push(step(told))
  // An alert that is open stands whatever is known now, until its post is well.
  const end = (): WhyStep[] => {
    const { alert } = past
    if (alert)
      add({
        code: alert.carrier === null ? 'alert' : 'carried',
        result: 'noted',
        at: alert.since,
        id: alert.carrier ?? alert.id,
      })
    else add({ code: 'no-alert', result: 'noted' })
    return steps
  }
  const watch = past.roster.find(({ key }) => key === past.watch)
  if (!watch) {
    add({ code: 'not-watched', result: 'stopped' })
    return end()
  }
  const sources = watch.broughtBy
  if (watch.standing !== 'active') {
    const isLeftOut = watch.standing === 'left out'
    add({
      code: isLeftOut ? 'left-out' : 'dormant',
      result: 'stopped',
      text: isLeftOut ? (watch.leftOutBy?.name ?? '') : '',
      sources: watch.leftOutBy ? [watch.leftOutBy] : sources,
    })
    return end()
  }
  add({ code: 'watched', result: 'passed', text: watch.name, sources })

  const kind = watchKind(watch.kind)
  const { observed, level } = past
  // Silence is judged by when the device was heard, all else by what it told.
  const isSilence = kind.name === 'silence'
  // What others see of it does not ask for its own reports.
  const isLookedAt = kind.looks !== undefined
  if (isLookedAt) {
    // Told below.
  } else if (!observed) {
    add({ code: 'no-reading', result: level ? 'noted' : 'stopped' })
    if (!level) return end()
  } else if (!isSilence && past.at - observed.at > silentIntervals * observed.interval) {
    add({ code: 'unheard', result: level ? 'noted' : 'stopped', at: observed.at })
    if (!level) return end()
  } else if (!isSilence && kind.collector && observed.failed.includes(kind.collector)) {
    add({ code: 'collector-failed', result: level ? 'noted' : 'stopped', at: observed.at, collector: kind.collector })
    if (!level) return end()
  }

  const hours = read.text(watch.values, 'hours')
  if (hours !== '' && observed && !looksAt(hours, past.at, observed.zone)) {
    add({ code: 'outside-hours', result: level ? 'noted' : 'stopped', text: hours })
    if (!level) return end()
  }

  // What a watch has counted over several reports, or knows of the agent itself, no single report tells again.
  const isRemembered =
    kind.remembersAlways === true || kind.subject === 'agent' || (kind.counts?.(watch.values) ?? false)
  const seen =
    observed === null || isRemembered
      ? null
      : (kind
          .observe(
            withoutNamed(watch, past.roster),
            { ...observed, ...(isSilence ? { at: past.at } : {}) },
            () => undefined,
          )
          .find(({ instance }) => instance === past.instance) ?? 'none')
  const at = isSilence ? past.at : (observed?.at ?? null)
  if (level) {
    const text = (typeof seen === 'object' && seen?.failing.length ? seen.evidence() : level.evidence)?.text ?? ''
    add({ code: 'failing', result: 'passed', at: level.began, text, severity: level.level })
    add({ code: 'long-enough', result: 'passed', at: level.since, length: level.since - level.began })
    if (typeof seen === 'object' && seen?.well)
      add({ code: 'clearing', result: 'noted', at, text: seen.evidence().text })
  } else if (seen === 'none') {
    add({ code: 'no-such-instance', result: 'stopped', at, text: past.instance })
    return end()
  } else if (seen === null) {
    add({ code: isLookedAt ? 'not-seen' : 'remembered', result: 'stopped', at: isLookedAt ? null : at })
    return end()
  } else {
    const severity = mostUrgent(seen.failing)
    if (!severity) {
      add({ code: seen.well ? 'well' : 'undecided', result: 'stopped', at, text: seen.evidence().text })
      return end()
    }
    const hold = kind.hold(watch.values, severity)
    add({ code: 'failing', result: 'passed', at, text: seen.evidence().text, severity })
    add({ code: 'not-long-enough', result: 'stopped', length: 'for' in hold ? hold.for : null })
    return end()
  }

  if (past.dismissed) {
    add({ code: 'dismissed', result: 'stopped', at: past.dismissed.since, id: past.dismissed.id })
    return end()
  }
  if (past.tried) {
    const { since, until } = past.tried
    add({
      code: until === null ? 'trying' : 'tried',
      result: until === null ? 'stopped' : 'passed',
      at: since,
      length: until === null ? null : until - since,
    })
    if (until === null) return end()
  }
  const post = { device: past.device, watch: watch.key, instance: past.instance, family: kind.subject }
  for (const window of past.windows.filter(({ subject }) => !isNamed(subject, post)))
    add({ code: 'not-named', result: 'noted', id: window.id, text: window.name, until: windowEnd(window) })
  if (past.held) {
    const window = past.windows.find(({ id }) => id === past.held!.window)
    add({
      code: 'held',
      result: 'stopped',
      at: past.held.since,
      id: past.held.window,
      text: window?.name ?? '',
      until: window ? windowEnd(window) : null,
    })
    return end()
  }
  add({ code: 'not-covered', result: 'passed' })
  return end()
}
