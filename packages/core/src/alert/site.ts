import { minute, type Millis } from '../units'

/** What an agent of a site says about whether its line is down. */
export interface SiteAgent {
  /** null: never. */
  heardAt: Millis | null
  /** Nothing came for longer than its interval allows, while somebody was there to hear it. */
  isQuiet: boolean
  /** Somebody is to be told of its silence. */
  isAlerting: boolean
  /** A window holds its silence: somebody is at work there, and it says nothing about the site. */
  isHeld: boolean
}
export interface SiteSilence {
  /** When the first of them was heard last. */
  began: Millis
  silent: number
  /** Agents that were still heard then. */
  of: number
}

/** Agents that were heard last within so long of each other fell silent together. Common practice, no source. */
export const fallsTogether: Millis = 10 * minute
/** Fewer alerts than this are read as quickly one by one. Common practice, no source. */
export const fewestTogether = 3
/** Once no more than this share of them is silent, the site is back, and what is left stands for itself. */
const backAt = 1 / 4

/**
 * Whether most agents of a site fell silent together: at least three that somebody is told of, within ten minutes, and
 * more than half of those that were still heard when the first of them fell silent. Those that had gone before, as
 * workstations do in the evening, say nothing. What began stands until no more than a quarter is silent.
 * @param open when the silence that the site is told to have began; null: it is told to have none
 * @returns null when the site is not silent, or not any more
 */
export function siteSilence(agents: readonly SiteAgent[], open: Millis | null): SiteSilence | null {
  const heard = agents
    .flatMap((agent) => (agent.heardAt === null || agent.isHeld ? [] : [{ ...agent, heardAt: agent.heardAt }]))
    .toSorted((a, b) => a.heardAt - b.heardAt)
  if (open !== null) {
    const since = heard.filter(({ heardAt }) => heardAt >= open)
    const silent = since.filter(({ isQuiet }) => isQuiet).length
    return silent > since.length * backAt ? { began: open, silent, of: since.length } : null
  }
  let best: SiteSilence | null = null
  let silent = 0
  let alerting = 0
  let end = 0
  heard.forEach((first, start) => {
    for (; end < heard.length && heard[end]!.heardAt <= first.heardAt + fallsTogether; end++) {
      silent += Number(heard[end]!.isQuiet)
      alerting += Number(heard[end]!.isAlerting)
    }
    const of = heard.length - start
    if (first.isQuiet && alerting >= fewestTogether && silent * 2 > of && silent > (best?.silent ?? 0))
      best = { began: first.heardAt, silent, of }
    silent -= Number(first.isQuiet)
    alerting -= Number(first.isAlerting)
  })
  return best
}
