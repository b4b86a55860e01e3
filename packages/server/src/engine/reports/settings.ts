import { createHash } from 'node:crypto'
import type { AgentSettings } from '#contract'
import {
  countersWatched,
  filesWatched,
  hurryOf,
  keepingOf,
  pacedCollectors,
  paceOf,
  type CounterAsk,
  type Facts,
  type FileAsk,
  type LogKeeping,
  type Millis,
  type OptionalCollector,
  type PacedCollector,
  type ProcessChoice,
  processesWatched,
  wantsShares,
  type Roster,
  type Service,
} from '#core'
import type { DeviceContext } from '../types'

/** The optional collectors that can be handed out, with the digests of their programs. */
export type CollectorDigests = ReadonlyMap<OptionalCollector, string>

const marks = new WeakMap<Roster, string>()

/** A short name for what a roster evaluates: the same for the same watches and values, on every server process. */
export function rosterMark(roster: Roster): string {
  let mark = marks.get(roster)
  if (mark === undefined) {
    const active = roster
      .filter((watch) => watch.standing === 'active')
      .map(({ key, kind, values }) => [key, kind, values])
    marks.set(roster, (mark = createHash('sha256').update(JSON.stringify(active)).digest('hex').slice(0, 16)))
  }
  return mark
}

type Every = Readonly<Record<PacedCollector, Millis>>
const paces = new WeakMap<Roster, { interval: Millis; every: Every }>()

/** How often a roster wants what, worked out once: many devices share it, and it is told with every receipt. */
function everyOf(roster: Roster, interval: Millis): Every {
  let known = paces.get(roster)
  if (known?.interval !== interval) paces.set(roster, (known = { interval, every: paceOf(roster, interval).every }))
  return known.every
}

const keepings = new WeakMap<Roster, LogKeeping | null>()

/** Which log entries a roster keeps, worked out once. */
export function entriesOf(roster: Roster): LogKeeping | null {
  let known = keepings.get(roster)
  if (known === undefined) keepings.set(roster, (known = keepingOf(roster)))
  return known
}

interface Asked {
  processes: ProcessChoice[]
  files: FileAsk[]
  /** Which counters, by the services that are installed; null: it asks for none. */
  counters: WeakMap<readonly Service[], CounterAsk[]> | null
}
const asked = new WeakMap<Roster, Asked>()

/** Which processes and files a roster asks for, worked out once. */
function askedBy(roster: Roster): Asked {
  let known = asked.get(roster)
  if (!known) {
    known = {
      processes: processesWatched(roster),
      files: filesWatched(roster),
      counters: countersWatched(roster).length ? new WeakMap() : null,
    }
    asked.set(roster, known)
  }
  return known
}

const noServices: readonly Service[] = []

/** Which counters a device is asked for; worked out anew when its services change. */
function countersFor(roster: Roster, facts: Facts): CounterAsk[] {
  const { counters } = askedBy(roster)
  if (!counters) return []
  const { services = noServices } = facts
  let known = counters.get(services)
  if (!known) counters.set(services, (known = countersWatched(roster, facts)))
  return known
}

const shares = new WeakMap<Roster, boolean>()

function sharesWanted(roster: Roster): boolean {
  let known = shares.get(roster)
  if (known === undefined)
    shares.set(roster, (known = roster.some((watch) => watch.standing === 'active' && wantsShares(watch.values))))
  return known
}

type Told = Pick<
  DeviceContext,
  'interval' | 'name' | 'clientName' | 'siteName' | 'collecting' | 'roster' | 'state' | 'probes' | 'facts'
>

/** What an agent is told: who it is, what to collect and how often, and the mark of the roster that this is for. */
export function settingsOf(context: Told, digests: CollectorDigests = new Map()): AgentSettings {
  const { interval, name, clientName, siteName, collecting, roster, state, probes, facts } = context
  const collectors = collecting.collectors.flatMap((collector) => {
    const digest = digests.get(collector)
    return digest === undefined ? [] : [{ name: collector, digest }]
  })
  const wanted: Partial<Record<PacedCollector, Millis>> = { ...everyOf(roster, interval) }
  const hurry = state.size ? hurryOf(roster, state) : {}
  for (const [collector, often] of Object.entries(hurry) as [PacedCollector, Millis][])
    wanted[collector] = Math.min(often, wanted[collector]!)
  const every = Object.fromEntries(
    pacedCollectors.flatMap((collector) => (wanted[collector] === interval ? [] : [[collector, wanted[collector]]])),
  )
  const keep = entriesOf(roster)
  const { processes, files } = askedBy(roster)
  const counters = countersFor(roster, facts)
  return {
    interval,
    deviceName: name,
    clientName,
    siteName,
    collect: {
      logs: collecting.logs,
      collectors,
      ...(sharesWanted(roster) ? { shares: true } : {}),
      ...(keep ? { keep } : {}),
      ...(processes.length ? { processes } : {}),
      ...(files.length ? { files } : {}),
      ...(counters.length ? { counters } : {}),
      ...(probes.length ? { probes: [...probes] } : {}),
    },
    every,
    roster: rosterMark(roster),
  }
}
