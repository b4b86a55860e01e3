import type { Facts } from '../estate'
import type { LogEvent, LogFilter } from '../eventlog'
import type { ProbeCheck, ProbePace, ProbeTold } from '../reach'
import type { DiskDays, MetricName, Reading, Samples } from '../series'
import type { Severity } from '../severity'
import type { Millis } from '../units'
import type { Usual } from '../usual'
import type { Parameter, Values } from './parameter'
import type { SentencePart } from './sentence'

/** What a watch is about; maintenance windows can name a whole family. */
export const subjects = [
  'silence',
  'service',
  'disk',
  'update',
  'eventlog',
  'performance',
  'process',
  'file',
  'certificate',
  'reach',
  'protection',
  'session',
  'counter',
  'agent',
] as const
export type Subject = (typeof subjects)[number]

/** The agent's collectors, one for each thing that can fail alone. */
export const collectors = [
  'performance',
  'disks',
  'drives',
  'network',
  'services',
  'updates',
  'eventlog',
  'software',
  'processes',
  'files',
  'protection',
  'sessions',
  'counters',
  'probes',
  'certificates',
] as const
export type Collector = (typeof collectors)[number]

/** Those that an agent gets only where somebody wants them. */
export const optionalCollectors = ['certificates'] as const satisfies readonly Collector[]
export type OptionalCollector = (typeof optionalCollectors)[number]

/** What the evaluation sees of a device at one moment: one report, with the facts as they stood then. */
export interface Observed {
  at: Millis
  /** Length between this device's reports. */
  interval: Millis
  /** Since when nothing was heard; equal to `at` when this is a report. */
  heardAt: Millis
  readings: readonly Reading[]
  facts: Facts
  events: readonly LogEvent[]
  failed: readonly Collector[]
  /** Of those that failed, the ones that have nothing to read on this machine. */
  absent?: readonly Collector[]
  /** Why a collector failed, where that is known. */
  reasons?: Readonly<Partial<Record<Collector, string>>>
  /** Collectors whose turn it was not. */
  rested?: readonly Collector[]
  /** Another machine has reported as this device of late. */
  shared?: boolean
  /** Its clock minus the server's; absent: not known at this moment. */
  clockOffset?: Millis
  /** Reports before this one that were lost for good. */
  lost?: number
  /** The version of the agent that new machines get; absent: there is none, or nobody knows. */
  offered?: string
  /** The clocks that the hours of watches go by. */
  zone: string
  /** Of its disks, by mount, what was free on the whole days before; where a watch asks for them (`asksDays`). */
  days?: ReadonlyMap<string, DiskDays>
  /** Of its series, by `usualKey`, what is usual; where a watch asks for it (`usual`). */
  usual?: ReadonlyMap<string, Usual>
  /** What other devices say of it, to the one watch that is judged; absent: this is no moment of theirs. */
  looks?: Looks
}

/** What one other device says of a device. */
export interface Look {
  /** Its name. */
  from: string
  told: ProbeTold | null
  /** Since when it said nothing, where that is too long; what it said before counts no more. */
  quietSince?: Millis
}
/** Why nobody looks: no device may, what is looked at has no address, or it lies where nobody may look. */
export const lookGaps = ['nobody', 'no-address', 'not-allowed', 'too-many'] as const
export interface Looks {
  by: readonly Look[]
  none?: (typeof lookGaps)[number]
}

/** What other devices are asked for by a watch that is about what they see. */
export interface LookPlan {
  /** Empty: the device's own address. */
  host: string
  check: ProbeCheck
  pace: ProbePace
  /** Names of the devices that look, with *; empty: servers of its site. */
  from: readonly string[]
  /** So many of them at most. */
  most: number
}

/**
 * Facts behind a decision, in words, fit for the alert: `text` is the whole sentence, `value` its figure. `subject`:
 * how the sentence begins, where that is what it is about; a list shows it in bold.
 */
export interface Evidence {
  text: string
  subject?: string
  value?: number
}

/** What a watch says about one of its posts at one moment. */
export interface Observation {
  instance: string
  /** The levels whose condition is true. */
  failing: readonly Severity[]
  /** The clear condition is true. Neither failing nor well: the post stays as it is. */
  well: boolean
  /** Worked out only when asked for: nearly all observations are well, and nobody reads their words. */
  evidence(): Evidence
  /** When the condition became true, where that is known better than by the time of the report. */
  since?: Millis
  /** It has failed for long enough already, whatever the hold: it was counted over a time of its own. */
  lasted?: true
  /** What this post must remember until next time. */
  memo?: unknown
}

export type Hold = { for: Millis } | { checks: number }

/** What was read of a device over a time, in columns. */
export interface Recorded {
  /** Of all its reports, ascending, each once. */
  times: Float64Array
  series: readonly { metric: MetricName; instance: string; samples: Samples }[]
}

/** How a watch chooses among the things of a device: one or two of its parameters, and what there is to choose from. */
export interface Choosing {
  include: string
  except?: string
  /** It chooses among services, some of which roles need. */
  isService?: true
  of(facts: Facts): { name: string; title: string }[]
}

export const serviceVerbs = ['start', 'stop', 'restart'] as const
/** What an agent can do to a service of its device. */
export interface ServiceAction {
  verb: (typeof serviceVerbs)[number]
  service: string
}

/** Where a level lies on a series, in the unit of its metric, or as a share of what another metric reads. */
export interface LevelLine {
  severity: Severity
  value: number
  shareOf?: MetricName
}

/**
 * A kind of watch: everything that the product knows about one sort of thing to look at. Adding one means adding such
 * an object to `kinds/index.ts`; evaluation, sentence, editor, text of policy and roster take all they need from here.
 * Every function is pure: the same arguments give the same result, and the time is `observed.at`.
 * @example
 * // A device that has not been restarted for long.
 * const uptime: WatchKind = {
 *   name: 'uptime', title: 'Up for long', subject: 'agent', collector: 'performance', metric: 'uptime', about: [],
 *   parameters: [{ name: 'most', type: 'duration', label: 'Most', default: 90 * day, explains: '…' }],
 *   sentence: () => sentence`When it has been up for too long, raise notice; clear after a restart.`,
 *   hold: () => ({ for: 0 }), clearHold: () => ({ for: 0 }),
 *   observe(values, { readings }) {
 *     const up = readings.find(([metric]) => metric === 'uptime')?.[2]
 *     if (up === undefined) return [] // not known: neither well nor failing
 *     const failing = up * second > read.number(values, 'most')
 *     return [{ instance: '', failing: failing ? ['notice'] : [], well: !failing,
 *               evidence: () => ({ text: `up for ${ageText(up * second)}`, value: up }) }]
 *   },
 * }
 */
export interface WatchKind {
  /** Stored in templates: never changed, never used for something else. */
  name: string
  title: string
  subject: Subject
  /** Without this collector's part of a report the watch has nothing to say; null: needs none. */
  collector: Collector | null
  /** The series to draw beside an alert of this kind, where there is one. */
  metric?: MetricName
  /** Where on that series its levels lie, in the unit of the metric. */
  lines?(values: Values, facts: Facts, instance: string): LevelLine[]
  choosing?: Choosing
  /** It sets what agents do, and says nothing of any post. */
  isSetting?: true
  /** The log entries that it looks for, in what agents send. */
  entries?(values: Values): LogFilter[]
  /**
   * For what other devices see of it: what they look at; null: it does not say enough yet. Such a watch says nothing of
   * reports of its device.
   */
  looks?(values: Values): LookPlan | null
  /** What can be done about one of its posts. Kinds that are not about a service name one in a parameter. */
  acts?(values: Values, instance: string): ServiceAction | null
  parameters: readonly Parameter[]
  sentence(values: Values): SentencePart[]
  /** How long a level's condition must be true before the level counts, in milliseconds, or in checks in a row. */
  hold(values: Values, severity: Severity): Hold
  /** How long the clear condition must be true before the post is well. */
  clearHold(values: Values): Hold
  /**
   * What the watch says of each of its posts now. A post that it says nothing of is not well: see `gone`.
   * @param values every parameter of the kind, defaults filled in
   * @param observed what one report says, and what of older ones still holds; times in milliseconds since 1970
   * @param memo what the observation of that instance had as its `memo` last time, undefined the first time; never that
   * of another kind, or of another filter (see `about`). It is stored as JSON, so plain data only, and small
   * @returns one observation an instance, in any order; an instance twice is a mistake of the kind
   * @throws anything: the watch then counts as broken on that device, and the others go on
   */
  observe(values: Values, observed: Observed, memo: (instance: string) => unknown): Observation[]
  /**
   * Whether the facts say that a post's thing is no longer there, or the watch no longer wants it. Without this, or
   * where it says no, a post that nothing was seen of keeps its level, and counts as silent after a gap: a value that
   * is missing is neither well nor gone.
   */
  gone?(values: Values, observed: Observed, instance: string): boolean
  /**
   * For evaluating much at once: the times, ascending, at which one of its posts may be failing. At any other time a
   * post that is at rest stays so, whatever else was observed, and has nothing to remember (but see `reach`). Only for
   * kinds that look at readings alone.
   * @param days as `Observed` has them
   */
  suspects?(values: Values, recorded: Recorded, days?: Observed['days']): Millis[]
  /**
   * For kinds with `suspects` that remember how a post was: how far back what they remember goes. Of a post at rest
   * what is older changes nothing, and after that time without a suspect nothing fails. Null: with these values it
   * remembers nothing.
   * @param interval between the device's reports
   */
  reach?(values: Values, interval: Millis): Millis | null
  /** Whether it asks how fast disks fill, by the days before. */
  asksDays?(values: Values): boolean
  /** The metric of the series that it judges by what is usual for them. */
  usual?: MetricName
  /** Parameters that say what its state is about: when one of them changes, holds and memories begin anew. */
  about: readonly string[]
  /** Whether, with these values, it counts over several reports, so that no single one tells all of it again. */
  counts?(values: Values): boolean
  /** Its memory goes on outside of its hours, when it neither raises nor clears. */
  remembersAlways?: boolean
}

/** Reads values with their types; a missing one is a mistake in the caller, which resolves defaults first. */
export const read = {
  number: (values: Values, name: string): number => values[name] as number,
  optional: (values: Values, name: string): number | null => (values[name] as number | null | undefined) ?? null,
  text: (values: Values, name: string): string => (values[name] as string | null) ?? '',
  list: (values: Values, name: string): readonly string[] => (values[name] as readonly string[] | null) ?? [],
  severity: (values: Values, name: string): Severity | null => {
    const value = values[name]
    return value === 'notice' || value === 'warning' || value === 'critical' ? value : null
  },
}
