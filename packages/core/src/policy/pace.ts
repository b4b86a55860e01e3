import { urgency, type Severity } from '../severity'
import { day, type Millis } from '../units'
import type { CounterAsk } from '../counter'
import type { Facts } from '../estate'
import { fileAskName, type FileAsk } from '../files'
import { choiceName, type ProcessChoice } from '../processes'
import {
  countersAsked,
  filesAsked,
  isInstalled,
  isPaced,
  pacedCollectors,
  processAsked,
  splitPostKey,
  watchKinds,
  type DeviceState,
  type PacedCollector,
} from '../watch'
import type { EffectiveWatch, Roster } from './roster'

/** How often an agent reads what, and which logs and processes: what the watches of its roster look at. */
export interface Pace {
  every: Readonly<Record<PacedCollector, Millis>>
  logs: readonly string[]
  processes: readonly ProcessChoice[]
  files: readonly FileAsk[]
  counters: readonly CounterAsk[]
}

const active = (roster: Roster) => roster.filter((watch) => watch.standing === 'active')
const collectorOf = (watch: EffectiveWatch) => watchKinds.get(watch.kind)?.collector

/** The logs that watches of the roster name; one that looks into any log asks for none that is not read anyway. */
export function logsWatched(roster: Roster): string[] {
  const logs = active(roster)
    .filter((watch) => collectorOf(watch) === 'eventlog')
    .filter((watch) => !watchKinds.get(watch.kind)?.isSetting || watch.values.level !== 'none')
    .map((watch) => watch.values.channel)
  return [...new Set(logs.filter((log): log is string => typeof log === 'string' && log !== '' && log !== '*'))].sort()
}

/** The processes that watches of the roster ask for, each choice once. */
export function processesWatched(roster: Roster): ProcessChoice[] {
  const choices = active(roster).flatMap(({ kind, values }) => processAsked(kind, values) ?? [])
  return [...new Map(choices.map((choice) => [choiceName(choice), choice])).values()]
}
/** The files that watches of the roster ask for, each once; with its digest where one of them wants that. */
export function filesWatched(roster: Roster): FileAsk[] {
  const found = new Map<string, FileAsk>()
  for (const { kind, values } of active(roster)) {
    const ask = filesAsked(kind, values)
    if (!ask) continue
    const name = fileAskName(ask)
    found.set(name, { ...ask, ...(ask.digest || found.get(name)?.digest ? { digest: true } : {}) })
  }
  return [...found.values()]
}
/**
 * The counters that watches of the roster ask for, of each program by its name; of two that are called the same, the
 * first.
 * @param facts of the device, where only programs that are installed on it are to be asked
 */
export function countersWatched(roster: Roster, facts?: Facts): CounterAsk[] {
  const found = new Map<string, CounterAsk>()
  for (const { kind, values } of active(roster)) {
    const ask = countersAsked(kind, values)
    if (ask && !found.has(ask.name) && (!facts || isInstalled(values, facts))) found.set(ask.name, ask)
  }
  return [...found.values()]
}
/** Of each choice an agent tells so many values with each report. */
const valuesOfChoice = 5
/** And of each path. */
const valuesOfFiles = 5

/**
 * The shortest time that one of its watches wants, for each collector; the agent's own interval where none says how
 * often, or nothing is watched: charts need readings, too.
 */
export function paceOf(roster: Roster, interval: Millis): Pace {
  const watches = active(roster)
  const every = Object.fromEntries(
    pacedCollectors.map((collector) => {
      const wanted = watches
        .filter((watch) => collectorOf(watch) === collector)
        .map((watch) => (watch.values.every as Millis | null | undefined) ?? interval)
      return [collector, wanted.length ? Math.min(...wanted) : interval]
    }),
  ) as Record<PacedCollector, Millis>
  return {
    every,
    logs: logsWatched(roster),
    processes: processesWatched(roster),
    files: filesWatched(roster),
    counters: countersWatched(roster),
  }
}

/** Readings a day at this pace. @param series how many values each collector of the device gives at a time */
export function readingsPerDay(
  { every, processes, files, counters }: Pace,
  series: Readonly<Partial<Record<PacedCollector, number>>>,
): number {
  // What it tells of processes and files it is asked for.
  const counts = {
    ...series,
    processes: processes.length * valuesOfChoice,
    files: files.length * valuesOfFiles,
    counters: counters.reduce((sum, ask) => sum + ask.counters.length, 0),
  }
  return pacedCollectors.reduce((sum, collector) => sum + ((counts[collector] ?? 0) * day) / every[collector], 0)
}

/**
 * What is read more often for now: collectors of watches that look again sooner, of which a post fails and is not yet
 * confirmed.
 */
export function hurryOf(roster: Roster, state: DeviceState): Partial<Record<PacedCollector, Millis>> {
  const hurry: Partial<Record<PacedCollector, Millis>> = {}
  for (const watch of active(roster)) {
    const collector = collectorOf(watch)
    const recheck = watch.values.recheck
    if (!collector || !isPaced(collector) || typeof recheck !== 'number') continue
    const unsure = [...state].some(
      ([key, post]) =>
        splitPostKey(key).watch === watch.key &&
        Object.keys(post.runs).some(
          (severity) => post.level === null || urgency(severity as Severity) > urgency(post.level),
        ),
    )
    if (unsure) hurry[collector] = Math.min(recheck, hurry[collector] ?? Infinity)
  }
  return hurry
}
