import type { Facts } from '../estate'
import { firstNotBefore, type MetricName, type Reading } from '../series'
import type { Millis } from '../units'
import { collectorOfMetric } from './commonParameters'
import {
  evaluate,
  splitPostKey,
  type BrokenWatch,
  type DeviceState,
  type Evaluated,
  type PostTransition,
} from './evaluate'
import type { WatchInForce } from './inForce'
import type { Collector, Observed, Recorded } from './kind'
import { watchKind } from './kinds'
import { isQuiet } from './post'

/** What readings do not say themselves. */
export interface Around {
  /** Length between the device's reports. */
  interval: Millis
  facts: Facts
  /** The clocks that the hours of watches go by. */
  zone: string
  /** As `Observed` has them. */
  days?: Observed['days']
}

/** Whether a watch can be evaluated from readings alone. */
export const isReplayable = ({ kind }: WatchInForce): boolean => watchKind(kind).suspects !== undefined

/**
 * All reports of a stretch of time in one go: the states, transitions and broken watches that `evaluate` comes to when
 * it is given each of them in turn, with these facts, a collector that read nothing having rested. It looks at what can
 * change something alone, which in nearly all of the time is nothing. Only watches that ask readings alone take part
 * (`isReplayable`); the states of others stay as they are.
 * @param recorded ascending; what of it is no later than a post's last check changes nothing, as there
 */
export function replay(
  before: DeviceState,
  roster: readonly WatchInForce[],
  recorded: Recorded,
  { interval, facts, zone, days }: Around,
): Evaluated {
  const state = new Map(before)
  const transitions: PostTransition[] = []
  const broken: BrokenWatch[] = []
  for (const watch of roster) {
    const { suspects, collector } = watchKind(watch.kind)
    if (watch.standing !== 'active' || !suspects || !collector) continue
    let seen: ReturnType<typeof seenBy> | null = null
    const alone = [watch]
    let own: DeviceState = new Map([...before].filter(([key]) => splitPostKey(key).watch === watch.key))
    const step = (index: number) => {
      const time = recorded.times[index]!
      seen ??= seenBy(collector, recorded)
      const { readings, rested } = seen(index)
      const observed: Observed = {
        at: time,
        heardAt: time,
        interval,
        facts,
        zone,
        readings,
        rested,
        events: [],
        failed: [],
        ...(days ? { days } : {}),
      }
      const found = evaluate(own, alone, observed)
      own = found.state
      transitions.push(...found.transitions)
      broken.push(...found.broken)
    }
    try {
      const times = suspects(watch.values, recorded, days)
      const reach = watchKind(watch.kind).reach?.(watch.values, interval) ?? null
      // What is remembered at the end is worked out, too.
      if (reach !== null && recorded.times.length) times.push(recorded.times.at(-1)!)
      for (let index = 0, next = 0; index < recorded.times.length; index++) {
        const at = recorded.times[index]!
        if (reach === null ? own.size === 0 : [...own.values()].every(isQuiet)) {
          while (next < times.length && times[next]! + (reach ?? 0) < at) next++
          if (next === times.length) break
          const from = times[next]! - (reach ?? 0)
          if (from > at) {
            index = firstNotBefore(recorded.times, from)
            // What was remembered lies out of reach.
            own = new Map()
          }
        }
        step(index)
      }
    } catch (error) {
      broken.push({ watch: watch.key, reason: (error as Error).message })
    }
    for (const key of before.keys()) if (splitPostKey(key).watch === watch.key) state.delete(key)
    for (const [key, post] of own) state.set(key, post)
  }
  return { state, transitions: transitions.sort((a, b) => a.at - b.at), broken }
}

const ownCollectors: Readonly<Record<string, Collector>> = {
  sessions: 'sessions',
  reach: 'probes',
}
/** Which collector a reading is of. */
export const collectorOf = (metric: MetricName): Collector =>
  collectorOfMetric(metric) ?? ownCollectors[metric.slice(0, metric.indexOf('.'))] ?? 'certificates'

/**
 * What a watch sees of each report: the readings of its collector, and whether that had read nothing. To be asked for
 * later and later reports.
 */
function seenBy(collector: Collector, { times, series }: Recorded) {
  const own = series.filter(({ metric }) => collectorOf(metric) === collector).map((each) => ({ ...each, next: 0 }))
  return (index: number): { readings: Reading[]; rested: Collector[] } => {
    const at = times[index]!
    const readings: Reading[] = []
    for (const each of own) {
      const { at: read, value } = each.samples
      // Mostly the next one; after a leap it is looked for.
      if (read[each.next]! < at) each.next++
      if (read[each.next]! < at) each.next = firstNotBefore(read, at)
      if (read[each.next] === at) readings.push([each.metric, each.instance, value[each.next]!])
    }
    return { readings, rested: readings.length ? [] : [collector] }
  }
}
